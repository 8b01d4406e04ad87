import type { Moved } from "../../api/client";
import { Mark } from "../../ui/Mark";

const shown = 60;

/** What became, or would become, of each queue; what stays comes first. */
export function MovedList({ of }: { of: Moved[] }) {
  return (
    <ul className="mt-1">
      {of
        .toSorted((a, b) => Number(a.moved) - Number(b.moved))
        .slice(0, shown)
        .map((m) => (
          <li key={m.queue} className="border-b border-rule py-0.5">
            <Mark of={m.moved ? "yes" : "no"}>
              <strong className="font-medium">{m.queue}</strong> {m.says}
              {m.remarks.length > 0 && `; ${m.remarks.join("; ")}`}
            </Mark>
          </li>
        ))}
      {of.length > shown && <li>and {of.length - shown} more</li>}
    </ul>
  );
}
