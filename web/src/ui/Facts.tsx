import type { ReactNode } from "react";

/** Names with what is true of them, one below the other. */
export function Facts({ children }: { children: ReactNode }) {
  return <dl className="grid grid-cols-[9rem_1fr] gap-x-2 gap-y-1.5">{children}</dl>;
}

export function Fact({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="text-ink-2">{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}
