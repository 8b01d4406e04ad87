import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { Draft, Rehearsal, Rehearse } from "../../api/client";
import { FindingList } from "../../parts/FindingList";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { kindWords, kinds, rehearse, ways, type Kind, type Way } from "../../api/rehearse";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Behind } from "./Behind";
import { coverageQuery, type Figure } from "./queries";

type Run = { done: number; total: number; stop: AbortController };

/** Rehearses the draft, or a failure: with progress, and with the people behind every figure. */
export function RehearsalSection({ draft }: { draft: Draft }) {
  const [run, setRun] = useState<Run | null>(null);
  const [result, setResult] = useState<{
    what: Rehearse;
    version: number;
    report: Rehearsal;
  } | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const [without, setWithout] = useState("");
  const [moves, setMoves] = useState({ who: "", to: "" });
  const running = useRef<AbortController | null>(null);
  useEffect(() => () => running.current?.abort(), []);
  const start = async (what: Rehearse) => {
    running.current?.abort();
    const stop = new AbortController();
    running.current = stop;
    setError(null);
    setRun({ done: 0, total: 0, stop });
    try {
      const report = await rehearse(
        what,
        (done, total) => setRun({ done, total, stop }),
        stop.signal,
      );
      setResult({ what, version: draft.version, report });
    } catch (e) {
      if (!stop.signal.aborted) setError(e instanceof Error ? e : new Error(String(e)));
    } finally {
      if (running.current === stop) setRun(null);
    }
  };
  const failing = without.split(/[\s,]+/).filter(Boolean);
  return (
    <section aria-labelledby="rehearse">
      <h2 id="rehearse">Rehearse</h2>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        {draft.total > 0 && (
          <Button kind="main" onClick={() => void start({})}>
            Rehearse the draft
          </Button>
        )}
        <form
          className="flex items-end gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            void start({ without: failing });
          }}
        >
          <label className="flex flex-col gap-1">
            What if this fails
            <input
              className={`${inputLook} w-64`}
              value={without}
              placeholder="server:ps-1, set:…, device:…, site:…"
              onChange={(e) => setWithout(e.target.value)}
            />
          </label>
          <Button type="submit" disabled={failing.length === 0}>
            Rehearse the failure
          </Button>
        </form>
        <form
          className="flex items-end gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            void start({ moves: [`${moves.who.trim()}=${moves.to.trim()}`] });
          }}
        >
          <label className="flex flex-col gap-1">
            Who moves in the directory
            <input
              className={`${inputLook} w-60`}
              value={moves.who}
              placeholder="user:NAME or machine:NAME"
              onChange={(e) => setMoves({ ...moves, who: e.target.value })}
            />
          </label>
          <label className="flex flex-col gap-1">
            Where to
            <input
              className={`${inputLook} w-60`}
              value={moves.to}
              placeholder="unit:PATH, ±group:NAME"
              onChange={(e) => setMoves({ ...moves, to: e.target.value })}
            />
          </label>
          <Button type="submit" disabled={!moves.who.trim() || !moves.to.trim()}>
            Rehearse the move
          </Button>
        </form>
        {run && (
          <span role="status" className="flex items-center gap-2 pb-1">
            <progress max={run.total || 1} value={run.done} aria-label="Rehearsal" />
            {run.total > 0 ? `${run.done} of ${run.total}` : "beginning"}
            <Button onClick={() => run.stop.abort()}>Stop</Button>
          </span>
        )}
      </div>
      {error && (
        <div className="mt-3">
          <ProblemNotice title="The rehearsal did not end" error={error} />
        </div>
      )}
      <Coverage
        onFail={(name) => {
          setWithout(name);
          void start({ without: [name] });
        }}
      />
      {result && (
        <Report
          report={result.report}
          stale={result.version !== draft.version && !result.what.without && !result.what.moves}
        />
      )}
    </section>
  );
}

/** On which single servers and devices how many depend; asked for when it is opened. */
function Coverage({ onFail }: { onFail: (name: string) => void }) {
  const [open, setOpen] = useState(false);
  const coverage = useQuery({ ...coverageQuery(), enabled: open });
  const list = coverage.data ?? [];
  return (
    <details className="mt-3" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        Who depends on a single server or device
      </summary>
      {open && coverage.isPending && (
        <p role="status" className="text-ink-3">
          Looking at everybody…
        </p>
      )}
      {coverage.error && <ProblemNotice title="It cannot be shown" error={coverage.error} />}
      {coverage.data && list.length === 0 && <p className="text-ink-2">Nobody does.</p>}
      {list.length > 0 && (
        <table className="mt-1" aria-label="Coverage">
          <thead>
            <tr className="text-left text-ink-2">
              <th scope="col" className="font-medium">
                Without
              </th>
              <th scope="col" className="w-28 text-right font-medium">
                nothing left
              </th>
              <th scope="col" className="w-28 text-right font-medium">
                something gone
              </th>
              <th scope="col" className="pl-4 font-medium">
                queues
              </th>
            </tr>
          </thead>
          <tbody>
            {list.slice(0, 15).map((d) => (
              <tr key={`${d.kind}:${d.name}`} className="border-b border-rule">
                <th scope="row" className="py-1 text-left font-normal">
                  <button
                    type="button"
                    className="min-h-[24px] text-accent underline underline-offset-2"
                    aria-label={`Rehearse without ${d.kind} ${d.name}`}
                    onClick={() => onFail(`${d.kind}:${d.name}`)}
                  >
                    {d.kind} {d.name}
                  </button>
                </th>
                <td className="figure text-right">{count(d.all.people, "person")}</td>
                <td className="figure text-right">{count(d.some.people, "person")}</td>
                <td className="max-w-64 truncate pl-4 text-ink-2">{d.queues.join(", ")}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {list.length > 15 && (
        <p className="text-ink-2">
          and {list.length - 15} more: <code className="font-mono">cirque coverage</code>.
        </p>
      )}
    </details>
  );
}

function Report({ report: r, stale }: { report: Rehearsal; stale: boolean }) {
  const [figure, setFigure] = useState<Figure | null>(null);
  const [way, setWay] = useState<Way>("group");
  const touched = r.touched.people + r.touched.machines;
  const groups = r.by[way] ?? [];
  const most = Math.max(
    1,
    ...groups.slice(0, 12).map((g) => Math.max(n(g.counts.gains), n(g.counts.loses))),
  );
  return (
    <div className="mt-4 flex flex-col gap-4">
      {stale && (
        <p>
          <Mark of="warning">The draft has changed since; rehearse again.</Mark>
        </p>
      )}
      <div>
        {r.down.length > 0 && (
          <p>
            Were down: {r.down.slice(0, 8).join(", ")}
            {r.down.length > 8 && ` and ${r.down.length - 8} more`}.
          </p>
        )}
        <p>
          <strong>
            {count(r.touched.people, "person")} of {r.cases.people} and{" "}
            {count(r.touched.machines, "machine")} of {r.cases.machines} would notice.
          </strong>
        </p>
        <p className="text-ink-2">
          Looked at {r.looked} of {count(r.cases.contexts, "context")}: all that can be touched.{" "}
          {r.seen} were reported by endpoints; of the others only the person or machine is known,
          not the place.
          {r.times.length > 0 &&
            ` Looked at the present and ${count(r.times.length, "edge")} of opening hours in the coming week.`}
        </p>
      </div>
      {r.promises > 0 && (
        <p>
          {count(r.promises, "promise")}:{" "}
          {r.broken_promises.length === 0 ? (
            "none would be broken by this."
          ) : (
            <Mark of="no">{r.broken_promises.length} would be broken.</Mark>
          )}
        </p>
      )}
      {r.findings.length > 0 && (
        <div>
          <p>What there would be to remark on, and is not so now:</p>
          <FindingList label="What it would bring about" findings={r.findings} />
        </div>
      )}
      {touched > 0 && (
        <>
          <ul aria-label="Totals" className="grid grid-cols-2 gap-x-8 xl:grid-cols-3">
            {kinds
              .filter((k) => r.totals[k])
              .map((k) => (
                <li key={k} className="flex items-baseline gap-2 border-b border-rule py-1">
                  <button
                    type="button"
                    className="figure min-h-[24px] min-w-[24px] text-right text-[1.15rem] font-semibold text-accent underline underline-offset-2"
                    aria-label={`${n(r.totals[k])} ${kindWords[k]}: show who`}
                    onClick={() => setFigure({ kind: k })}
                  >
                    {n(r.totals[k])}
                  </button>
                  <span>{kindWords[k]}</span>
                </li>
              ))}
          </ul>
          <div>
            <div role="radiogroup" aria-label="Group by" className="flex flex-wrap gap-1">
              {ways.map((w) => (
                <button
                  key={w}
                  type="button"
                  role="radio"
                  aria-checked={way === w}
                  className={`min-h-[24px] rounded-[3px] border px-2 ${way === w ? "border-accent bg-accent-wash font-medium" : "border-rule-strong"}`}
                  onClick={() => setWay(w)}
                >
                  by {w}
                </button>
              ))}
            </div>
            <Gains
              groups={groups.slice(0, 12)}
              most={most}
              onShow={(kind, key) => setFigure({ kind, by: way, key })}
            />
            {groups.length > 12 && (
              <p className="text-ink-2">
                and {groups.length - 12} more; all of them with{" "}
                <code className="font-mono">cirque rehearse -o json</code>.
              </p>
            )}
          </div>
          {r.holes.length > 0 && (
            <section aria-label="Cannot be had">
              <h3 className="font-medium">Granted, and cannot be had</h3>
              <ul>
                {r.holes.map((h, i) => (
                  <li key={i} className="border-b border-rule py-0.5">
                    <Mark of="warning">
                      {h.queue} on {h.platform || "an unknown platform"}:{" "}
                      {h.reason === "no-driver" ? "no driver fits" : "no path leads there"},{" "}
                      {count(h.people, "person")}
                    </Mark>
                  </li>
                ))}
              </ul>
            </section>
          )}
        </>
      )}
      {figure && <Behind id={r.id} figure={figure} onClose={() => setFigure(null)} />}
    </div>
  );
}

const n = (c: { people: number; machines: number } | undefined) => (c ? c.people + c.machines : 0);

type GainsProps = {
  groups: Rehearsal["by"][string];
  most: number;
  onShow: (kind: Kind, key: string) => void;
};

/** Gains to the right, losses to the left, group by group. */
function Gains({ groups, most, onShow }: GainsProps) {
  const bar = (g: GainsProps["groups"][number], kind: "gains" | "loses") => {
    const c = n(g.counts[kind]);
    const look = kind === "gains" ? "border-good bg-good/25" : "border-bad bg-bad/20 ml-auto";
    return c > 0 ? (
      <button
        type="button"
        className={`block h-[24px] min-w-[24px] border px-1 text-ink ${look} ${kind === "loses" ? "text-right" : "text-left"}`}
        style={{ width: `${(100 * c) / most}%` }}
        aria-label={`${c} of ${g.key || "unknown"} ${kindWords[kind]}: show who`}
        onClick={() => onShow(kind, g.key)}
      >
        {kind === "gains" ? `+${c}` : `−${c}`}
      </button>
    ) : null;
  };
  return (
    <table className="mt-2" aria-label="Gains and losses">
      <thead>
        <tr className="text-left text-ink-2">
          <th scope="col" className="w-48 font-medium" />
          <th scope="col" className="w-1/4 text-right font-medium">
            lose
          </th>
          <th scope="col" className="w-1/4 pl-1 font-medium">
            gain
          </th>
          <th scope="col" className="pl-3 font-medium">
            else
          </th>
        </tr>
      </thead>
      <tbody>
        {groups.map((g) => (
          <tr key={g.key} className="border-b border-rule">
            <th
              scope="row"
              className="max-w-48 truncate py-1 pr-2 text-left font-normal"
              title={g.key}
            >
              {g.key || "unknown"}
            </th>
            <td className="border-r border-rule-strong">{bar(g, "loses")}</td>
            <td>{bar(g, "gains")}</td>
            <td className="pl-3 text-ink-2">
              {kinds
                .filter((k) => k !== "gains" && k !== "loses" && g.counts[k])
                .map((k) => `${n(g.counts[k])} ${k}`)
                .join(", ")}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
