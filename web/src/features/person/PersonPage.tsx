import { queryOptions, useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, askAll, type Moment, type Subject } from "../../api/client";
import { NoteField } from "../../parts/NoteField";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago, stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { lineupQuery, subjectQuery } from "../../parts/lineups";
import { Holdings } from "../../parts/SubjectDrawer";
import { Names } from "./Names";

const historyQuery = (name: string) =>
  queryOptions({
    queryKey: ["subject", "history", name],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/people/{name}/history", { params: { path: { name }, query }, signal }),
      ),
  });

/** One person: their names, groups, lineup now, endpoints and history. */
export function PersonPage() {
  const { name = "" } = useParams();
  const subject = useQuery(subjectQuery("user", name));
  if (subject.isPending) return <Waiting what={`all about ${name}`} />;
  if (!subject.data) return <Failure title={`Nothing about ${name}`} problem={subject.error} />;
  const s = subject.data;
  const at = s.endpoints[0];
  return (
    <>
      <h1>{s.user?.display_name || s.name}</h1>
      <p className="text-ink-2">
        {[
          s.user?.display_name && s.name,
          s.user?.email,
          s.user?.unit && `unit ${s.user.unit}`,
          !s.user && "unknown to the directory",
        ]
          .filter(Boolean)
          .join(", ")}
      </p>
      <NoteField kind="person" name={s.name} />
      <div className="mt-4 grid gap-x-10 gap-y-6 lg:grid-cols-2">
        <Now name={s.name} at={at} />
        <Names of={s} />
        <Groups of={s} />
        <section aria-label="Endpoints">
          <h2>Endpoints</h2>
          {s.endpoints.length === 0 ? (
            <p className="text-ink-2">No endpoint has told of them.</p>
          ) : (
            <ul>
              {s.endpoints.map((e, i) => (
                <li key={i} className="border-b border-rule py-1">
                  <Mark of={e.state ?? ""}>
                    <Link to={`/endpoints?endpoint=${encodeURIComponent(e.endpoint)}`}>
                      {e.endpoint}
                    </Link>
                    , {e.state}
                  </Mark>
                  <p className="pl-5 text-ink-2">
                    {e.context.session ?? "desktop"} session of {e.context.user ?? "nobody"}:{" "}
                    {e.queues.length > 0 ? e.queues.join(", ") : "no queue"}
                  </p>
                </li>
              ))}
            </ul>
          )}
        </section>
        <section aria-label="Grants">
          <h2>Grants</h2>
          <Holdings of={s} />
        </section>
        <History name={s.name} />
      </div>
    </>
  );
}

/** What they have where they were last seen, or anywhere. */
export function Now({ name, at }: { name: string; at: Subject["endpoints"][number] | undefined }) {
  const where = {
    user: name,
    machine: at?.context.machine ?? "",
    host: at?.context.host ?? "",
    address: at?.context.addresses?.join(" ") ?? "",
    session: at?.context.session ?? "desktop",
    platform: at?.context.platform ?? "",
    location: "",
    time: "",
    estate: "",
  };
  const lineup = useQuery(lineupQuery(where));
  const to = new URLSearchParams(Object.entries(where).filter(([, v]) => v) as [string, string][]);
  return (
    <section aria-label="Lineup now">
      <h2>Lineup now</h2>
      <p className="text-ink-2">
        {at
          ? `At ${at.context.machine ?? at.endpoint}, where they were last seen.`
          : "Wherever they are, since no endpoint has told."}{" "}
        <Link to={`/lineup?${to}`}>Ask for another place</Link>
      </p>
      {lineup.isPending ? (
        <Waiting what="the lineup" />
      ) : lineup.error ? (
        <ProblemNotice title="The lineup cannot be told" error={lineup.error} />
      ) : (
        <>
          {lineup.data.entries.length === 0 && <p>No queue: no grant names them here.</p>}
          <ul>
            {lineup.data.entries.map((e) => (
              <li key={e.queue} className="border-b border-rule py-1">
                <Mark of={e.effect}>
                  <Link to={`/lineup?${to}&queue=${encodeURIComponent(e.queue)}`}>
                    {e.title ?? e.queue}
                  </Link>
                  , {e.effect}
                  {e.default && ", their default"}
                  {e.stranded && ", no usable path just now"}
                </Mark>
                <p className="pl-5 text-ink-2">
                  by {e.grants.join(", ")}; through {e.path.through}
                </p>
              </li>
            ))}
            {lineup.data.left_out.map((o) => (
              <li key={o.queue} className="border-b border-rule py-1">
                <Mark of="no">
                  {o.queue} is left out: {o.reason}
                </Mark>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** Groups as they nest: those that name the person first, what each lies in below it. */
function Groups({ of: s }: { of: Subject }) {
  return (
    <section aria-label="Groups">
      <h2>Groups</h2>
      {s.groups.length === 0 ? (
        <p className="text-ink-2">In none.</p>
      ) : (
        <ul>
          {s.groups
            .filter((g) => g.direct)
            .map((g) => (
              <li key={g.group} className="border-b border-rule py-1">
                <Link to={`/grants?find=${encodeURIComponent(`group:${g.group}`)}`}>{g.group}</Link>
                <ul>
                  {s.groups
                    .filter((x) => x.through[0] === g.group)
                    .sort((a, b) => a.through.length - b.through.length)
                    .map((x) => (
                      <li
                        key={x.group}
                        className="py-0.5 text-ink-2"
                        style={{ paddingLeft: `${x.through.length * 1.25}rem` }}
                      >
                        in{" "}
                        <Link to={`/grants?find=${encodeURIComponent(`group:${x.group}`)}`}>
                          {x.group}
                        </Link>
                        {x.through.length > 1 && ` (through ${x.through.slice(1).join(", then ")})`}
                      </li>
                    ))}
                </ul>
              </li>
            ))}
        </ul>
      )}
    </section>
  );
}

const whats: Record<Moment["what"], string> = {
  directory: "directory",
  pick: "picks",
  link: "names",
  request: "requests",
  done: "done by them",
  about: "about them",
};

function History({ name }: { name: string }) {
  const history = useQuery(historyQuery(name));
  const now = useNow();
  return (
    <section aria-label="History">
      <h2>History</h2>
      {history.isPending ? (
        <Waiting what="the history" />
      ) : history.error ? (
        <ProblemNotice title="The history cannot be told" error={history.error} />
      ) : history.data.length === 0 ? (
        <p className="text-ink-2">Nothing is kept.</p>
      ) : (
        <div
          className="max-h-[28rem] overflow-y-auto"
          tabIndex={0}
          role="region"
          aria-label="What became of them"
        >
          <ul>
            {history.data.map((m, i) => (
              <li key={i} className="border-b border-rule py-1">
                <time dateTime={m.at} title={stamp(m.at)} className="text-ink-2">
                  {ago(m.at, now)}
                </time>
                , {whats[m.what]}: {m.says}
                {m.by && m.what !== "done" && <span className="text-ink-2">, by {m.by}</span>}
              </li>
            ))}
          </ul>
        </div>
      )}
    </section>
  );
}
