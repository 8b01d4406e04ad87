import { useQuery } from "@tanstack/react-query";
import type { DirectoryRun } from "../../api/client";
import { stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { runsQuery } from "../../api/directory";

const marks: Record<DirectoryRun["state"], string> = {
  waiting: "idle",
  running: "behind",
  done: "yes",
  failed: "failing",
  held: "paused",
  stopped: "idle",
};
const passes: Record<DirectoryRun["kind"], string> = {
  whole: "whole",
  changes: "for changes",
  dry: "dry",
};

export function RunState({ of: r }: { of: DirectoryRun }) {
  return <Mark of={marks[r.state]}>{r.state}</Mark>;
}

/** The latest passes over all sources, newest first. */
export function Runs() {
  const runs = useQuery(runsQuery());
  const now = useNow();
  if (runs.isPending) return <Waiting what="the passes" />;
  if (!runs.data) return <Failure title="The passes cannot be shown" problem={runs.error} />;
  if (runs.data.length === 0)
    return (
      <div className="mt-3">
        <Empty title="There has been no pass yet">
          Each reading of a source will stand here, with what it changed.
        </Empty>
      </div>
    );
  return (
    <div className="mt-3 overflow-x-auto">
      <table className="w-full max-w-[90rem]" aria-label="Latest passes">
        <thead>
          <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
            {["Began", "Source", "Pass", "State", "Took", "Read", "Says", "By"].map((h) => (
              <th key={h} scope="col" className="px-2 py-1 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {runs.data.map((r) => (
            <tr key={r.id} className="border-b border-rule align-top">
              <td className="px-2 py-1 whitespace-nowrap">{stamp(r.at)}</td>
              <th scope="row" className="px-2 py-1 text-left font-medium whitespace-nowrap">
                {r.source}
              </th>
              <td className="px-2 py-1 whitespace-nowrap">{passes[r.kind]}</td>
              <td className="px-2 py-1 whitespace-nowrap">
                <RunState of={r} />
              </td>
              <td className="px-2 py-1 text-right whitespace-nowrap">{took(r, now)}</td>
              <td className="px-2 py-1 text-right">{r.read}</td>
              <td className="px-2 py-1">
                {r.says}
                {r.fix && r.state === "failed" && `; ${r.fix}`}
                {r.notes?.map((n) => (
                  <span key={n} className="block text-ink-2">
                    {n}
                  </span>
                ))}
              </td>
              <td className="px-2 py-1 whitespace-nowrap">{r.author}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function took(r: DirectoryRun, now: number): string {
  const ms = Math.max(0, (r.ended ? Date.parse(r.ended) : now) - Date.parse(r.at));
  return ms < 10_000 ? `${(ms / 1000).toFixed(2)} s` : `${Math.round(ms / 1000)} s`;
}
