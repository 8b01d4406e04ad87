import { useMutation } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, type Endpoint } from "../../api/client";
import { stamp } from "../../lib/time";
import { Button } from "../../ui/Button";
import { Exact } from "../../ui/Exact";
import { NoteField } from "../../parts/NoteField";
import { Mark } from "../../ui/Mark";
import { Away } from "./Away";
import { CheckIt } from "./CheckIt";
import { DriversHere } from "./DriversHere";
import { PluggedIn } from "./PluggedIn";
import { difference } from "./model";

/** Has the endpoint look at its queues and report now; says how long it would take otherwise. */
function CallButton({ machine, lastReport }: { machine: string; lastReport: string }) {
  const call = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/endpoints/{machine}/refresh", { params: { path: { machine } } })),
  });
  const answered = call.data && lastReport !== call.data.endpoint.last_seen;
  return (
    <div className="flex flex-wrap items-center gap-3">
      <Button disabled={call.isPending} onClick={() => call.mutate()}>
        Have it report now
      </Button>
      <p role="status" className="text-ink-2">
        {call.error
          ? call.error.message
          : answered
            ? "It has reported since."
            : call.data
              ? `Called; waiting for its report. ${call.data.otherwise}`
              : ""}
      </p>
    </div>
  );
}

/** How one queue of the agent's stands against the lineups. */
function Against({ drift, halted }: { drift: Endpoint["drift"]; halted: boolean | undefined }) {
  const d = drift[0];
  if (!d) return halted ? <Mark of="paused">stopped</Mark> : <Mark of="yes">as it should be</Mark>;
  if (d.kind === "extra") return <Mark of="minus">should not be there</Mark>;
  if (d.kind === "default") return <Mark of="behind">should be the default</Mark>;
  return (
    <Mark of="behind">
      {d.found}; should be {d.wanted}
    </Mark>
  );
}

/** What an endpoint has, what it should have, and what failed in the spooler's own words. */
export function EndpointSheet({ endpoint: e }: { endpoint: Endpoint }) {
  const r = e.report;
  return (
    <div className="flex flex-col gap-5">
      <p>
        <Mark of={e.state} />. Agent {r.version} on {r.platform}, {r.spooler} spooler; its lineups
        came from revision {r.revision}. First heard {stamp(e.first_seen)}.
      </p>
      <NoteField kind="machine" name={r.machine} />
      <CallButton machine={r.machine} lastReport={e.last_seen} />
      <CheckIt
        machine={r.machine}
        queues={[...new Set(r.installed.filter((i) => i.own).map((i) => i.queue))]}
      />
      {e.says.length > 0 && (
        <section aria-label="Its people">
          <h3 className="font-medium">Its people</h3>
          <ul className="list-disc pl-5">
            {e.says.map((s) => (
              <li key={s}>{s.charAt(0).toUpperCase() + s.slice(1)}.</li>
            ))}
          </ul>
        </section>
      )}
      {r.waits && (
        <p>
          Nothing is changed there before somebody agrees to it on the machine:{" "}
          <code>cirque-agent plan --agree</code>
        </p>
      )}
      {(r.failures.length > 0 || e.drift.length > 0) && (
        <section aria-label="What is wrong">
          <h3 className="font-medium">What is wrong</h3>
          <ul className="list-disc pl-5">
            {r.failures.map((f, i) => (
              <li key={`f${i}`}>
                {f.step} of <strong className="font-medium">{f.queue}</strong> for{" "}
                {f.user || "everybody"} fails since {stamp(f.since)}. The spooler says: {f.says}.
              </li>
            ))}
            {e.drift.map((d, i) => (
              <li key={`d${i}`}>{difference(d)}.</li>
            ))}
          </ul>
        </section>
      )}
      <section aria-label="Installed">
        <table>
          <caption className="pb-1 text-left font-medium">What it has, against its lineups</caption>
          <thead>
            <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
              {["Queue", "For", "Driver", "Against its lineups"].map((h) => (
                <th key={h} scope="col" className="px-2 py-1 font-medium">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {r.installed.map((i, n) => (
              <tr key={n} className="border-b border-rule align-top">
                <td className="px-2 py-1">
                  {i.queue}
                  {i.default && (
                    <span className="ml-2 border border-accent px-1 text-accent">default</span>
                  )}
                  <br />
                  <span className="font-mono text-[0.86em] break-all text-ink-3">{i.uri}</span>
                </td>
                <td className="px-2 py-1">{i.user || "everybody"}</td>
                <td className="px-2 py-1">
                  <Exact text={i.exact ?? i.driver} />
                </td>
                <td className="px-2 py-1">
                  {!i.own ? (
                    <Mark of="idle">somebody else’s, never touched</Mark>
                  ) : (
                    <Against
                      drift={e.drift.filter(
                        (d) => d.queue === i.queue && (d.user ?? "") === (i.user ?? ""),
                      )}
                      halted={i.halted}
                    />
                  )}
                </td>
              </tr>
            ))}
            {e.drift
              .filter((d) => d.kind === "missing")
              .map((d, n) => (
                <tr key={`m${n}`} className="border-b border-rule align-top">
                  <td className="px-2 py-1">{d.queue}</td>
                  <td className="px-2 py-1">{d.user || "everybody"}</td>
                  <td className="px-2 py-1" />
                  <td className="px-2 py-1">
                    <Mark of="no">missing</Mark>
                  </td>
                </tr>
              ))}
          </tbody>
        </table>
        {r.installed.length === 0 && <p className="text-ink-2">Nothing.</p>}
      </section>
      <Away machine={r.machine} />
      <DriversHere machine={r.machine} />
      {e.attached && <PluggedIn machine={r.machine} list={e.attached} at={r.attached_at} />}
      <section aria-label="Contexts">
        <h3 className="font-medium">What it asks for</h3>
        <ul>
          {r.contexts.map((c, i) => {
            const p = new URLSearchParams();
            for (const [k, v] of Object.entries({
              user: c.user,
              machine: c.machine,
              host: c.host,
              session: c.session,
              platform: c.platform,
              address: c.addresses?.join(" "),
            }))
              if (v) p.set(k, v);
            return (
              <li key={i} className="py-1">
                <Link to={`/lineup?${p}`}>
                  {c.user ?? "The machine itself, with nobody signed in"}
                  {c.host && c.machine && ` from ${c.machine}`}
                  {c.session && `, ${c.session} session`}
                </Link>
              </li>
            );
          })}
        </ul>
      </section>
    </div>
  );
}
