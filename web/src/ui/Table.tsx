import type { ReactNode } from "react";

/** A short table without sorting: its head, and rows as they come. An empty head is spoken as what to do. */
export function Table({
  label,
  heads,
  children,
}: {
  label: string;
  heads: string[];
  children: ReactNode;
}) {
  return (
    <table aria-label={label} className="mt-1 w-full">
      <thead>
        <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
          {heads.map((h) => (
            <th key={h} scope="col" className="px-2 py-1 font-medium">
              {h || <span className="sr-only">What to do</span>}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </table>
  );
}
