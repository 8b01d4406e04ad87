import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, ProblemError, type Draft } from "../../api/client";
import { draftChanged, proposalsQuery } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";

/** What others propose, to be taken over into one's own draft or declined. */
export function Proposals({ empty }: { empty: boolean }) {
  const client = useQueryClient();
  const now = useNow();
  const proposals = useQuery(proposalsQuery());
  const onSuccess = () => draftChanged(client);
  const take = useMutation({
    mutationFn: (id: number) =>
      ask(
        api.POST("/api/v1/proposals/{id}/take", {
          params: { path: { id }, query: { into: "main" } },
        }),
      ),
    onSuccess,
  });
  const decline = useMutation({
    mutationFn: (id: number) =>
      ask(
        api.POST("/api/v1/proposals/{id}/decline", {
          params: { path: { id } },
          body: { reason: "" },
        }),
      ),
    onSuccess,
  });
  if (!proposals.data?.length) return null;
  const error = take.error ?? decline.error;
  return (
    <section aria-labelledby="proposals" className="mt-4">
      <h2 id="proposals">Proposed to you</h2>
      <ul className="mt-1 flex flex-col gap-2">
        {proposals.data.map((p) => (
          <li key={p.id} className="flex flex-wrap items-center gap-3 border-t border-rule pt-2">
            <span className="flex-1">
              <strong className="font-medium">{p.reason}</strong>
              <span className="block text-ink-2">
                by {p.author}, {ago(p.at, now)}, of revision {p.base}
              </span>
            </span>
            <Button disabled={!empty || take.isPending} onClick={() => take.mutate(p.id)}>
              Take it into my draft
            </Button>
            <Button disabled={decline.isPending} onClick={() => decline.mutate(p.id)}>
              Decline
            </Button>
          </li>
        ))}
      </ul>
      {!empty && (
        <p className="mt-1 text-ink-2">Publish or discard your draft first to take one over.</p>
      )}
      {error && <ProblemNotice title="It stays proposed" error={error} />}
    </section>
  );
}

/** What to do about a draft that reaches beyond the sites of whoever made it. */
export function Propose({ draft, error, reason }: { draft: Draft; error: Error; reason: string }) {
  const client = useQueryClient();
  const propose = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/draft/propose", { body: { reason } })),
    onSuccess: () => draftChanged(client),
  });
  if (!(error instanceof ProblemError) || error.problem?.code !== "reaches-elsewhere") return null;
  if (draft.proposed_at)
    return (
      <p className="mt-1" role="status">
        <Mark of="yes">It is proposed to the administrators of all sites.</Mark>
      </p>
    );
  return (
    <div className="mt-2">
      <Button disabled={propose.isPending} onClick={() => propose.mutate()}>
        Propose it to an administrator of all sites
      </Button>
      {propose.error && <ProblemNotice title="It was not proposed" error={propose.error} />}
    </div>
  );
}
