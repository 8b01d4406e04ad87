import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import type { components } from "../../api/schema";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { stamp } from "../../lib/time";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Mark } from "../../ui/Mark";

type Account = components["schemas"]["AccessAccount"];

/** By what an account lets somebody in. */
export function SignsInWith({ account: a }: { account: Account }) {
  if (a.source) return `password in ${a.source}`;
  if (a.emergency)
    return a.opened_at ? <Mark of="failing">envelope, opened</Mark> : "envelope, sealed";
  if (a.owes_factor) return <Mark of="warning">password; second factor missing</Mark>;
  if (!a.factors) return "password";
  return a.factors === 1 ? "password, 1 second factor" : `password, ${a.factors} second factors`;
}

/** The account for when nobody else gets in: made, and sealed anew after it was used. */
export function Emergency({ made, opened }: { made: boolean; opened: string | undefined }) {
  const client = useQueryClient();
  const seal = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/emergency-account")),
    onSuccess: () => client.invalidateQueries({ queryKey: ["access"] }),
  });
  return (
    <section aria-label="For emergencies">
      <h2>For emergencies</h2>
      <p className="text-ink-2">
        An owner whose password lies in an envelope, without a second factor: for when nobody else
        gets in. Whoever opens it is signed in for an hour and is heard of everywhere.
      </p>
      <p className="my-2">
        {opened ? (
          <Mark of="failing">Opened {stamp(opened)}</Mark>
        ) : made ? (
          "It is sealed."
        ) : (
          <Mark of="warning">There is none yet.</Mark>
        )}
      </p>
      <Button onClick={() => seal.mutate()} disabled={seal.isPending}>
        {made ? "Seal it with a new password" : "Make it"}
      </Button>
      {seal.error && <ProblemNotice title="It stays as it was" error={seal.error} />}
      {seal.data && (
        <div role="status" className="mt-2 border-l-2 border-accent bg-accent-wash px-3 py-2">
          <p>
            Write both down, and lock the envelope away. The password is shown this once, and the
            former one is over.
          </p>
          <p className="mt-1 font-mono break-all">
            {seal.data.name}
            <br />
            {seal.data.password} <Copy text={seal.data.password} what="the password" />
          </p>
        </div>
      )}
    </section>
  );
}
