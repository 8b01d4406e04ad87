import type { Finding } from "../api/client";
import { Mark } from "../ui/Mark";

/** Findings, each at its object, with what to do. */
export function FindingList({ label, findings }: { label: string; findings: Finding[] }) {
  return (
    <ul aria-label={label} className="flex flex-col gap-0.5">
      {findings.map((f, i) => (
        <li key={i}>
          <Mark of={f.severity}>
            <strong className="font-medium">{f.object}</strong>: {f.says}; {f.fix}.
          </Mark>
        </li>
      ))}
    </ul>
  );
}
