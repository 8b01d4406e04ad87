import type { ReactNode } from "react";
import { Copy } from "./Copy";

type Problem = { message: string; fix?: string | undefined };

/** The first command line in what is to be done, if there is one. */
export const commandIn = (fix: string | undefined): string | undefined =>
  fix?.match(/(?:^|: |see )(cirque(?:-agent)?(?: (?!and\b)[^\s;,]+)+)/)?.[1];

/** What happened, what it means, and what to do. */
export function Failure({ title, problem }: { title: string; problem: Problem }) {
  const command = commandIn(problem.fix);
  return (
    <div role="alert" className="border-l-2 border-bad bg-bad-wash px-3 py-2">
      <p className="font-medium">{title}</p>
      <p>
        {problem.message.charAt(0).toUpperCase() + problem.message.slice(1)}
        {problem.fix ? `; ${problem.fix}` : ""}.
        {command && <Copy text={command} what={`the command ${command}`} />}
      </p>
    </div>
  );
}

/** An empty place that teaches the next step. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="border border-dashed border-rule-strong px-4 py-6">
      <p className="font-medium">{title}</p>
      <div className="mt-1 text-ink-2">{children}</div>
    </div>
  );
}

/** Says what is being waited for. */
export function Waiting({ what }: { what: string }) {
  return (
    <p role="status" className="py-4 text-ink-3">
      Waiting for {what}…
    </p>
  );
}
