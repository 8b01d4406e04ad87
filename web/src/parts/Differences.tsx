import type { ReactNode } from "react";
import type { StockDifference } from "../api/client";
import { Mark } from "../ui/Mark";

const marks = { error: "no", warning: "warning", note: "note" };

/** How many of one kind are written out. */
const alike = 20;

/** Where what was found and the estate do not agree, each with what to do. */
export function Differences({
  list,
  action,
}: {
  list: StockDifference[];
  action?: ((d: StockDifference) => ReactNode) | undefined;
}) {
  if (list.length === 0) return null;
  const of = new Map<string, number>();
  const few = list.filter((d) => {
    const n = (of.get(d.kind) ?? 0) + 1;
    of.set(d.kind, n);
    return n <= alike;
  });
  const more = [...of].filter(([, n]) => n > alike);
  return (
    <section aria-label="Differences">
      <h3 className="font-medium">Against the estate</h3>
      <ul>
        {few.map((d, i) => (
          <li key={i} className="border-b border-rule py-1.5">
            <Mark of={marks[d.severity]}>
              <strong className="font-medium">{d.severity}:</strong> {d.says}.{" "}
              <span className="text-ink-2">{d.fix.charAt(0).toUpperCase() + d.fix.slice(1)}.</span>
            </Mark>
            {action?.(d)}
          </li>
        ))}
        {more.map(([kind, n]) => (
          <li key={kind} className="py-1 text-ink-2">
            and {n - alike} more of the kind {kind}
          </li>
        ))}
      </ul>
    </section>
  );
}
