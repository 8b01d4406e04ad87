import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Query } from "../../api/client";
import { kindWords } from "../../api/rehearse";
import { contextKeys } from "../../lib/context";
import { count } from "../../lib/words";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { effectsQuery, type Figure } from "./queries";

/** The single contexts behind a figure. */
export function Behind({
  id,
  figure,
  onClose,
}: {
  id: string;
  figure: Figure;
  onClose: () => void;
}) {
  const effects = useQuery(effectsQuery(id, figure));
  const list = effects.data?.items ?? [];
  return (
    <section aria-label="Behind the figure" className="border border-rule bg-sheet p-3">
      <div className="flex items-baseline justify-between gap-3">
        <h3 className="font-medium">
          Who would {kindWords[figure.kind]}
          {figure.key !== undefined && `, ${figure.by} ${figure.key || "unknown"}`}:{" "}
          {count(effects.data?.total ?? 0, "context")}
        </h3>
        <Button onClick={onClose}>Close the list</Button>
      </div>
      {effects.error && <ProblemNotice title="The list cannot be shown" error={effects.error} />}
      <div
        className="mt-2 max-h-80 overflow-y-auto"
        tabIndex={0}
        role="region"
        aria-label="Contexts"
      >
        <ul>
          {list.map((e, i) => (
            <li key={i} className="grid grid-cols-[11rem_1fr] gap-x-3 border-b border-rule py-1">
              <Link to={`/lineup?${address(e.context)}`}>{e.name}</Link>
              <span>
                {e.items
                  .map((x) =>
                    [x.queue, x.from && x.to ? `${x.from} becomes ${x.to}` : x.to || x.from]
                      .filter(Boolean)
                      .join(": "),
                  )
                  .join("; ")}
                <span className="block text-ink-3">
                  {e.location || "place unknown"}
                  {e.context.machine && `, ${e.context.machine}`}
                  {!e.seen && ", not seen yet"}
                  {e.items.some((x) => x.times) && ", at some times only"}
                </span>
              </span>
            </li>
          ))}
        </ul>
      </div>
      {(effects.data?.total ?? 0) > list.length && (
        <p className="text-ink-2">and {(effects.data?.total ?? 0) - list.length} more.</p>
      )}
    </section>
  );
}

/** The context as the lineup's page has it in its address. */
function address(c: Query): string {
  const q = new URLSearchParams();
  for (const k of contextKeys) {
    const v = k === "address" ? c.addresses?.join(" ") : k === "estate" ? "" : c[k];
    if (v) q.set(k, v);
  }
  return q.toString();
}
