import { useQuery, useQueryClient } from "@tanstack/react-query";
import { factorsQuery } from "../../api/proof";
import { Factors } from "../../parts/Factors";
import { useLeave } from "../../parts/useLeave";
import { Button } from "../../ui/Button";
import { Logo } from "../../ui/Logo";

/** Of whoever lacks a demanded second factor: nothing goes on before one is set up. */
export function OwesPage({ name }: { name: string }) {
  const client = useQueryClient();
  const has = (useQuery(factorsQuery()).data?.items.length ?? 0) > 0;
  const leave = useLeave();
  return (
    <main className="flex min-h-screen items-start justify-center p-6 pt-[8vh]">
      <div className="w-full max-w-2xl border border-rule-strong bg-sheet p-6">
        <h1 className="mb-4 flex items-center gap-2">
          <Logo />
          One thing first, {name}
        </h1>
        <p className="mb-4">
          Your role signs in with a second factor besides the password. Set one up, and go on.
        </p>
        <Factors />
        <div className="mt-6 flex gap-3">
          <Button kind="main" disabled={!has} onClick={() => void client.invalidateQueries()}>
            Go on
          </Button>
          <Button onClick={() => leave()}>Sign out</Button>
        </div>
      </div>
    </main>
  );
}
