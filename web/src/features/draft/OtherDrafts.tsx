import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { api, ask } from "../../api/client";
import { draftChanged, draftsQuery } from "../../api/drafts";
import { meQuery } from "../../api/session";
import { Comments } from "../../parts/Comments";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Diffs } from "../../ui/Diffs";

/**
 * What others have drafted and not published: to be seen by all who read the estate, and taken over
 * by some.
 */
export function OtherDrafts({ empty, mayTake }: { empty: boolean; mayTake: boolean }) {
  const now = useNow();
  const me = useQuery(meQuery());
  const drafts = useQuery(draftsQuery());
  const others = (drafts.data ?? []).filter((d) => d.author !== me.data?.name && d.changed_at);
  if (others.length === 0) return null;
  return (
    <section aria-labelledby="others" className="mt-4">
      <h2 id="others">What others have drafted</h2>
      <ul className="mt-1 flex flex-col gap-2">
        {others.map((d) => (
          <li key={d.id} className="border-t border-rule pt-2">
            <Other id={d.id} empty={empty} mayTake={mayTake}>
              <strong className="font-medium">{d.author}</strong>
              {d.name !== "main" && `, draft ${d.name}`}
              <span className="block text-ink-2">
                changed {d.changed_at && ago(d.changed_at, now)}, of revision {d.base}
                {d.proposed_at && `; proposed: ${d.proposed_why ?? ""}`}
              </span>
            </Other>
          </li>
        ))}
      </ul>
      {mayTake && !empty && (
        <p className="mt-1 text-ink-2">Publish or discard your draft first to take one over.</p>
      )}
    </section>
  );
}

type OtherProps = { id: number; empty: boolean; mayTake: boolean; children: ReactNode };

/** One of them: its changes are asked for when they are wanted. */
function Other({ id, empty, mayTake, children }: OtherProps) {
  const client = useQueryClient();
  const [open, setOpen] = useState(false);
  const seen = useQuery({
    queryKey: ["draft", "others", id],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/drafts/{id}", { params: { path: { id } }, signal })),
    enabled: open,
  });
  const take = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/drafts/{id}/take", {
          params: { path: { id }, query: { into: "main" } },
        }),
      ),
    onSuccess: () => draftChanged(client),
  });
  return (
    <>
      <div className="flex flex-wrap items-center gap-3">
        <span className="flex-1">{children}</span>
        <Button aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Hide it" : "See it"}
        </Button>
        {mayTake && (
          <Button disabled={!empty || take.isPending} onClick={() => take.mutate()}>
            Take it over
          </Button>
        )}
      </div>
      {take.error && <ProblemNotice title="It was not taken over" error={take.error} />}
      {open && seen.error && <ProblemNotice title="It cannot be shown" error={seen.error} />}
      {open && seen.data && (
        <>
          <p className="mt-1 text-ink-2">{count(seen.data.total, "object")}.</p>
          <Diffs list={seen.data.changes} />
          <Comments of="draft" id={id} />
        </>
      )}
    </>
  );
}
