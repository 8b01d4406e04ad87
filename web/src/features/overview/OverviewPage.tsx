import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { lazily } from "../../lib/lazily";
import { ago, stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { FindingObject } from "../../parts/FindingList";
import { OpenSteps } from "../../parts/OpenSteps";
import { count } from "../../lib/words";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Sections } from "../../ui/Sections";
import { useUrl } from "../../lib/useUrl";
import { Faults } from "./Faults";
import { Requests } from "./Requests";
import { dutiesQuery, eventsQuery, faultsQuery, requestsQuery } from "./queries";
import { overviewQuery } from "../../api/queries";

// The form of a notice weighs as much as the rest of the page.
const Notices = lazily(
  () => import("./Notices"),
  (m) => m.Notices,
  <Waiting what="the notices" />,
);

const states = ["converged", "behind", "failing", "silent"] as const;
const says = {
  converged: "have what they should",
  behind: "differ from their lineup",
  failing: "could not do a step",
  silent: "have not been heard of",
};

/** Lists of the estate that have a page. */
const among: Record<string, string> = { users: "user", groups: "group", machines: "machine" };
const linked = new Set(["queues", "grants", "devices", "servers", "drivers"]);
const places = new Set(["locations", "subnets", "stations"]);

/** The first page; what is wrong; and who is told of it. */
export function OverviewPage() {
  const { get } = useUrl();
  const show = get("show");
  const faults = useQuery(faultsQuery());
  const n = faults.data?.length;
  const requests = useQuery(requestsQuery());
  const waiting = (requests.data ?? []).filter((r) => r.state === "open").length;
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-6">
        <h1>Overview</h1>
        <Sections
          label="Parts of the overview"
          current={show}
          of={[
            ["", "At a glance", "/"],
            ["faults", n === undefined ? "Faults" : `Faults (${n})`, "/?show=faults"],
            ["requests", waiting ? `Requests (${waiting})` : "Requests", "/?show=requests"],
            ["notices", "Notices", "/?show=notices"],
          ]}
        />
      </div>
      {show === "faults" ? (
        <Faults />
      ) : show === "requests" ? (
        <Requests />
      ) : show === "notices" ? (
        <Notices />
      ) : (
        <Glance />
      )}
    </>
  );
}

function Glance() {
  const overview = useQuery(overviewQuery());
  const events = useQuery(eventsQuery());
  const duties = useQuery(dutiesQuery());
  const now = useNow();
  if (overview.isPending) return <Waiting what="the overview" />;
  if (!overview.data)
    return <Failure title="The overview cannot be shown" problem={overview.error} />;
  const o = overview.data;
  const total = states.reduce((n, s) => n + (o.endpoints[s] ?? 0), 0);
  return (
    <>
      {o.revision === 0 && (
        <div className="mt-3">
          <Empty title="There is no estate yet">
            Write one and publish it:{" "}
            <code className="font-mono">cirque estate apply FILE --publish -m "first estate"</code>.
            The guide's first steps show one.
          </Empty>
        </div>
      )}
      {(duties.data ?? []).length > 0 && (
        <ul aria-label="Out of duty" className="mt-3">
          {duties.data?.map((d) => (
            <li key={`${d.kind}/${d.name}`}>
              <Mark of={d.duty === "down" ? "failing" : "paused"}>
                <strong className="font-medium">
                  {d.kind} {d.name}
                </strong>{" "}
                is {d.duty}
                {d.author && ` by ${d.author}`}, {ago(d.since, now)}
                {d.reason && `: ${d.reason}`}. What goes through it takes another way, where there
                is one.
              </Mark>
            </li>
          ))}
        </ul>
      )}
      <div className="mt-4 grid gap-x-10 gap-y-6 lg:grid-cols-[3fr_2fr]">
        <section aria-labelledby="endpoints">
          <h2 id="endpoints">
            {total === 0 ? "No endpoint has reported" : `${count(total, "endpoint")}`}
          </h2>
          {total === 0 ? (
            <p className="mt-1 text-ink-2">
              Give an agent a token:{" "}
              <code className="font-mono">
                cirque token create --name N --role agent --machine M
              </code>
              .
            </p>
          ) : (
            <>
              <div className="mt-2 flex h-3 w-full" aria-hidden="true">
                {states.map(
                  (s) =>
                    (o.endpoints[s] ?? 0) > 0 && (
                      <span
                        key={s}
                        style={{ flexGrow: o.endpoints[s] ?? 0 }}
                        className={`mr-px ${{ converged: "bg-good", behind: "bg-warn", failing: "bg-bad", silent: "bg-rule-strong" }[s]}`}
                      />
                    ),
                )}
              </div>
              <ul className="mt-2">
                {states.map((s) => (
                  <li key={s} className="flex items-baseline gap-3 border-b border-rule py-1.5">
                    <span className="figure w-8 text-right text-[1.15rem] font-semibold">
                      {o.endpoints[s] ?? 0}
                    </span>
                    <span className="w-24">
                      <Mark of={s} />
                    </span>
                    <span className="text-ink-2">{says[s]}</span>
                    {(o.endpoints[s] ?? 0) > 0 && (
                      <Link
                        className="ml-auto"
                        to={`/endpoints?state=${s}`}
                        aria-label={`Show the endpoints that are ${s}`}
                      >
                        Show
                      </Link>
                    )}
                  </li>
                ))}
              </ul>
            </>
          )}
        </section>
        <section aria-labelledby="estate">
          <h2 id="estate">The estate</h2>
          <dl className="mt-2 grid grid-cols-3 gap-x-6">
            {[
              ...[
                "queues",
                "grants",
                "devices",
                "servers",
                "server_sets",
                "drivers",
                "locations",
                "subnets",
                "stations",
              ].map((k) => [k, o.estate[k]] as const),
              ...["users", "groups", "machines"].map((k) => [k, o.directory[k]] as const),
            ].map(([k, n]) => (
              <div key={k} className="flex items-baseline gap-2 border-b border-rule py-1.5">
                <dd className="figure order-1 w-8 text-right font-semibold">{n ?? 0}</dd>
                <dt className="order-2 text-ink-2">
                  {linked.has(k) ? (
                    <Link to={`/${k}`}>{k}</Link>
                  ) : among[k] ? (
                    <Link to={`/directory?kind=${among[k]}`}>{k}</Link>
                  ) : places.has(k) ? (
                    <Link to={`/estate?list=${k}`}>{k}</Link>
                  ) : k === "server_sets" ? (
                    <Link to="/continuity?show=sets">server sets</Link>
                  ) : (
                    k
                  )}
                </dt>
              </div>
            ))}
          </dl>
          <div className="mt-2">
            <OpenSteps />
          </div>
        </section>
        <section aria-labelledby="happened">
          <h2 id="happened">What happened</h2>
          {events.data && events.data.items.length > 0 ? (
            <ul className="mt-2">
              {events.data.items.map((e) => (
                <li key={e.id} className="flex gap-3 border-b border-rule py-1">
                  <time dateTime={e.at} title={stamp(e.at)} className="w-24 shrink-0 text-ink-3">
                    {ago(e.at, now)}
                  </time>
                  <span className="min-w-0">
                    {e.says}
                    {e.author && !e.says.includes(e.author) && ` (${e.author})`}
                  </span>
                </li>
              ))}
            </ul>
          ) : (
            <p className="mt-1 text-ink-2">
              {events.isPending ? "Waiting for what happened…" : "Nothing yet."}
            </p>
          )}
        </section>
        <section aria-labelledby="findings">
          <h2 id="findings">
            {o.remarks === 0
              ? "No findings in the estate"
              : `${count(o.remarks, "finding")} in the estate`}
          </h2>
          <ul className="mt-2">
            {o.findings.map((f, i) => (
              <li key={i} className="border-b border-rule py-1.5">
                <Mark of={f.severity}>
                  <FindingObject finding={f} />
                </Mark>
                <p className="text-ink-2">
                  {f.says}; {f.fix}.
                </p>
              </li>
            ))}
          </ul>
          {o.remarks > o.findings.length && (
            <p className="mt-1 text-ink-2">
              and {o.remarks - o.findings.length} more:{" "}
              <code className="font-mono">cirque estate check</code>.
            </p>
          )}
        </section>
      </div>
    </>
  );
}
