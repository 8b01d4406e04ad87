import type { Added } from "../../api/client";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { Mark } from "../../ui/Mark";

type TakenProps = {
  added: Added[];
  unknown: { kind: string; name: string; near: string[] }[];
  asGiven: boolean;
  onGiven: (given: boolean) => void;
};

const nobodyKnows: Record<string, string> = {
  user: "Nobody knows a person",
  machine: "Nothing is known of a machine",
  host: "Nothing is known of a session host",
};

/** What was added to what was said, with where it comes from and how old that is; and what nobody knows. */
export function Taken({ added, unknown, asGiven, onGiven }: TakenProps) {
  const now = useNow();
  return (
    <div role="group" aria-label="What was taken" className="flex flex-col gap-0.5 text-ink-2">
      {unknown.map((u) => (
        <Mark key={u.kind} of="warning">
          {nobodyKnows[u.kind]} {u.name}
          {u.near.length > 0 && `; did you mean ${u.near.join(" or ")}?`}
        </Mark>
      ))}
      {(added.length > 0 || asGiven) && (
        <p>
          {asGiven
            ? "Nothing was added to what the sentence says. "
            : `Taken: ${added.map((a) => `${a.part} ${a.value}, ${source(a, now)}`).join("; ")}. `}
          <button
            type="button"
            className="min-h-[24px] text-accent underline underline-offset-2"
            onClick={() => onGiven(!asGiven)}
          >
            {asGiven ? "Add what is known of the machine" : "Judge only what the sentence says"}
          </button>
        </p>
      )}
    </div>
  );
}

function source(a: Added, now: number): string {
  if (a.from === "report") return `by its report, ${a.at ? ago(a.at, now) : "an unknown time"}`;
  return a.from === "station" ? "by the estate's station" : "by the directory";
}
