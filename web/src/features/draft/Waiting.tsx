import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { draftChanged, draftsQuery } from "../../api/drafts";
import { meQuery } from "../../api/session";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { stamp } from "../../lib/time";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";

/** Drafts that are published by themselves at a time, and those that could not be at theirs. */
export function WaitingDrafts({ mayTake }: { mayTake: boolean }) {
  const client = useQueryClient();
  const me = useQuery(meQuery());
  const drafts = useQuery(draftsQuery());
  const cancel = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/v1/drafts/{id}/publish-at", { params: { path: { id } } })),
    onSuccess: () => draftChanged(client),
  });
  const list = (drafts.data ?? []).filter((d) => d.publish_at ?? d.publish_failed);
  if (list.length === 0) return null;
  return (
    <section aria-labelledby="waiting" className="mt-4">
      <h2 id="waiting">Published at a time</h2>
      <ul className="mt-1 flex flex-col gap-2">
        {list.map((d) => (
          <li key={d.id} className="flex flex-wrap items-center gap-3 border-t border-rule pt-2">
            <span className="flex-1">
              <strong className="font-medium">{d.publish_why}</strong>
              <span className="block text-ink-2">
                by {d.author}, draft {d.name},{" "}
                {d.publish_at ? (
                  <>at {stamp(d.publish_at)}, as it is</>
                ) : (
                  <Mark of="no">it could not be published at its time: {d.publish_failed}</Mark>
                )}
              </span>
            </span>
            {d.publish_at && (mayTake || d.author === me.data?.name) && (
              <Button disabled={cancel.isPending} onClick={() => cancel.mutate(d.id)}>
                Take it back
              </Button>
            )}
          </li>
        ))}
      </ul>
      {cancel.error && <ProblemNotice title="It still waits" error={cancel.error} />}
    </section>
  );
}
