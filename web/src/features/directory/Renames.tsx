import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { draftChanged } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";
import { renamesQuery, sourcesChanged } from "../../api/directory";

/** What the directory calls differently from the estate, with the way to follow it. */
export function Renames() {
  const client = useQueryClient();
  const renames = useQuery(renamesQuery());
  const take = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/directory/renames/take", { body: {} })),
    onSuccess: () => draftChanged(client),
  });
  const drop = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/v1/directory/renames/drop", { body: { ids: [id] } })),
    onSuccess: () => sourcesChanged(client),
  });
  if (!renames.data || renames.data.length === 0) return null;
  const failed = take.error ?? drop.error;
  return (
    <section
      aria-label="Renamed in the directory"
      className="mt-3 max-w-[70rem] border-l-2 border-warn bg-wash px-3 py-2"
    >
      <p>
        <Mark of="warning">
          <strong className="font-medium">
            {count(renames.data.length, "name")} of the estate{" "}
            {renames.data.length === 1 ? "is" : "are"} called differently in the directory now.
          </strong>{" "}
          Until the estate follows, what it grants to the old{" "}
          {renames.data.length === 1 ? "name reaches" : "names reaches"} nobody new.
        </Mark>
      </p>
      <ul className="my-1">
        {renames.data.map((r) => (
          <li key={r.id} className="pl-5">
            {r.kind} {r.from} is {r.to} in {r.source}{" "}
            <button
              type="button"
              className="ml-2 min-h-[24px] underline"
              aria-label={`Leave ${r.from} as it is`}
              onClick={() => drop.mutate(r.id)}
            >
              leave it
            </button>
          </li>
        ))}
      </ul>
      <div className="flex items-center gap-3">
        <Button disabled={take.isPending} onClick={() => take.mutate()}>
          Follow, in the draft
        </Button>
        {take.data && (
          <span role="status">
            {count(take.data.objects, "object")} of <Link to="/draft">your draft</Link> changed.
          </span>
        )}
      </div>
      {failed && <ProblemNotice title="Nothing was changed" error={failed} />}
    </section>
  );
}
