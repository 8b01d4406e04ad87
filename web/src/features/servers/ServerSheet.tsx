import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { LineTest } from "../../parts/LineTest";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { serverQuery } from "../../api/stock";
import { stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Exact } from "../../ui/Exact";
import { Fact, Facts } from "../../ui/Facts";
import { Mark } from "../../ui/Mark";
import { Waiting } from "../../ui/Notice";
import { Differences } from "../../parts/Differences";
import { Inside } from "./Inside";
import { KeptSection } from "./KeptSection";
import { Leaving } from "./Leaving";
import { stands, stateMarks, stateWords } from "../../parts/stock";
import { Probed } from "../../parts/Probed";
import { TestPage } from "../../parts/TestPage";
import { WaitingOn } from "./WaitingOn";

const listings: Record<string, string> = {
  system: "by its system service",
  spooler: "by the Unix spooler’s operation",
  single: "as the one queue at its address",
};
const times = (n: number) => (n === 1 ? "once" : `${n} times`);

const shown = 60;

type ServerSheetProps = { name: string; onAdopt: (queues: string[]) => void; onGone: () => void };

/** All about one server: how it stands, its queues, what differs, and the way off it. */
export function ServerSheet({ name, onAdopt, onGone }: ServerSheetProps) {
  const client = useQueryClient();
  const now = useNow();
  const sheet = useQuery(serverQuery(name));
  const fresh = () => client.invalidateQueries({ queryKey: ["stock"] });
  const read = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/stock/servers/{name}/read", { params: { path: { name } } })),
    onSettled: fresh,
  });
  const forget = useMutation({
    mutationFn: () =>
      ask(api.DELETE("/api/v1/stock/servers/{name}", { params: { path: { name } } })),
    onSuccess: async () => {
      await fresh();
      if (!sheet.data?.in_estate) onGone();
    },
  });
  const s = sheet.data;
  if (sheet.error) return <ProblemNotice title="The server cannot be shown" error={sheet.error} />;
  if (!s) return <Waiting what="the server" />;
  const how = stands(s.check, now);
  const unlisted = s.queues.filter((q) => q.leads.length === 0).map((q) => q.name);
  return (
    <div className="flex flex-col gap-5">
      <div>
        <p>
          <Mark of={how.mark}>
            {how.says}
            {s.check && !s.check.ok && s.check.fix && `; ${s.check.fix}`}.
          </Mark>
        </p>
        <div className="mt-2 flex flex-wrap gap-2">
          <Button disabled={read.isPending} onClick={() => read.mutate()}>
            {read.isPending ? "Reading…" : "Read it now"}
          </Button>
          {unlisted.length > 0 && (
            <Button onClick={() => onAdopt(unlisted)}>
              Adopt {count(unlisted.length, "queue")} the estate does not lead to
            </Button>
          )}
          {s.registered && (
            <Button onClick={() => forget.mutate()}>Forget what was registered</Button>
          )}
        </div>
        {read.error && <ProblemNotice title="It was not read" error={read.error} />}
      </div>
      {s.in_estate && (
        <p className="mb-2">
          <Link to={`/estate?list=servers&open=${encodeURIComponent(s.name)}`}>
            What the estate says of it
          </Link>
        </p>
      )}
      <Facts>
        <Fact name="Address">
          <span className="font-mono text-[0.93em]">{s.uri}</span>{" "}
          <Copy text={s.uri} what="the address" />
        </Fact>
        <Fact name="The way there">
          <LineTest kind="server" names={[name]} />
        </Fact>
        <Fact name="Duty">{s.duty}</Fact>
        <Probed kind="server" name={name} />
        <Fact name="Server sets">{s.sets.join(", ") || "none"}</Fact>
        {s.started && (
          <Fact name="Up since">
            {stamp(s.started)}
            {s.restarts > 0 && `; seen to start anew ${times(s.restarts)}`}
          </Fact>
        )}
        {s.listing && <Fact name="Lists its queues">{listings[s.listing] ?? s.listing}</Fact>}
        <Fact name="Queues">
          {count(s.count.queues, "queue")}, {s.count.not_ready} not ready,{" "}
          {count(s.count.jobs, "job")} waiting, {count(s.drivers, "different driver")}
        </Fact>
        <Fact name="In the estate">
          {s.in_estate ? "yes" : "no: it is watched because it was registered"}
        </Fact>
        {s.location && (
          <Fact name="Location">
            <Link to={`/site?site=${encodeURIComponent(s.location.split("/")[0] ?? "")}`}>
              {s.location}
            </Link>
          </Fact>
        )}
        {s.credential && <Fact name="Key">{s.credential}</Fact>}
        {s.note && <Fact name="Note">{s.note}</Fact>}
      </Facts>
      {s.kept && <KeptSection name={name} />}
      <Differences list={s.differs} />
      <Inside server={name} />
      <WaitingOn server={name} queues={s.queues.map((q) => q.name)} />
      <Leaving server={name} />
      <section aria-label="Queues on it">
        <h3 className="font-medium">Queues on it</h3>
        {s.queues.length === 0 && (
          <p className="text-ink-2">
            {s.check?.ok
              ? "It answers, and lists none: on the server, none is shared, or it does not tell this machine."
              : "None is known; it has not been read."}
          </p>
        )}
        <ul>
          {s.queues.slice(0, shown).map((q) => (
            <li key={q.name} className="border-b border-rule py-2">
              <div className="flex flex-wrap items-baseline gap-x-3">
                <Exact text={q.name} />
                <span>{q.title !== q.name && q.title}</span>
                <Mark of={stateMarks[q.state] ?? "silent"}>{stateWords(q)}</Mark>
                {q.jobs > 0 && <span>{count(q.jobs, "job")} waiting</span>}
                {q.shared === false && (
                  <Mark of="minus">not shared: people cannot find it there</Mark>
                )}
                <span className="ml-auto">
                  <TestPage what={{ kind: "server", name, queue: q.name }} word="Test page" />
                </span>
              </div>
              <p className="text-ink-2">
                {q.model ? <Exact text={q.model} /> : "no driver told"}
                {q.device && (
                  <>
                    {" "}
                    to <span className="font-mono text-[0.93em]">{q.device}</span>
                  </>
                )}
                {q.location && `, at ${q.location}`};{" "}
                {q.leads.length > 0 ? (
                  <>
                    led to by{" "}
                    {q.leads.map((l, i) => (
                      <span key={l}>
                        {i > 0 && ", "}
                        <Link to={`/queues?queue=${encodeURIComponent(l)}`}>{l}</Link>
                      </span>
                    ))}
                  </>
                ) : (
                  "the estate does not lead there"
                )}
              </p>
              {q.defaults && Object.keys(q.defaults).length > 0 && (
                <p className="font-mono text-[0.86em] text-ink-2">
                  {Object.entries(q.defaults)
                    .sort()
                    .map(([k, v]) => `${k}=${String(v)}`)
                    .join("  ")}
                </p>
              )}
            </li>
          ))}
        </ul>
        {s.queues.length > shown && (
          <p className="mt-1">
            and {s.queues.length - shown} more:{" "}
            <Link to={`/servers?show=queues&on=${encodeURIComponent(name)}`}>all its queues</Link>.
          </p>
        )}
      </section>
    </div>
  );
}
