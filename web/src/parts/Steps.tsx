import type { components } from "../api/schema";
import { Mark } from "../ui/Mark";

type Check = components["schemas"]["EndpointCheck"];

const marks = { yes: "yes", no: "offered", unproven: "idle" } as const;
const words = { yes: "done", no: "to do", unproven: "not proven" } as const;

/** The steps of a checklist, each with whether it is done and what to do where it is not. */
export function Steps({ label, list }: { label: string; list: Check[] }) {
  return (
    <ol aria-label={label} className="border-l-2 border-rule-strong">
      {list.map((r) => (
        <li key={r.check} className="px-3 py-1">
          <Mark of={marks[r.result]}>
            <strong className="font-medium">{r.check}</strong>{" "}
            <span className="text-ink-2">{words[r.result]}:</span> {r.says}.
          </Mark>
          {r.fix && (
            <p className="pl-5 text-ink-2">
              {r.fix.startsWith("cirque ") ? (
                <code className="font-mono text-[0.93em]">{r.fix}</code>
              ) : (
                `${r.fix.charAt(0).toUpperCase() + r.fix.slice(1)}.`
              )}
            </p>
          )}
        </li>
      ))}
    </ol>
  );
}
