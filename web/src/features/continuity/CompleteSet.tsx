import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { draftChanged } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";

/** Proposes in the draft what makes the members of a set alike, and says what somebody has to see to. */
export function CompleteSet({ set }: { set: string }) {
  const client = useQueryClient();
  const complete = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/draft/complete-set", { body: { set } })),
    onSuccess: () => draftChanged(client),
  });
  const steps = complete.data?.steps ?? [];
  return (
    <div className="mt-2">
      <Button disabled={complete.isPending} onClick={() => complete.mutate()}>
        Propose what makes them alike
      </Button>
      {complete.error && <ProblemNotice title="Nothing was proposed" error={complete.error} />}
      {complete.data && (
        <div role="status">
          <ul className="mt-1">
            {steps.map((s, i) => (
              <li key={i} className="py-0.5">
                <Mark of={s.done ? "yes" : "warning"}>
                  <strong className="font-medium">{s.queue}</strong>
                  {s.on && ` on ${s.on}`}: {s.says}.
                </Mark>
              </li>
            ))}
          </ul>
          {steps.length === 0 && <p>The members are alike, as far as they were read.</p>}
          {steps.some((s) => s.done) && (
            <p>
              It is in your draft. <Link to="/draft#rehearse">Rehearse it</Link>.
            </p>
          )}
        </div>
      )}
    </div>
  );
}
