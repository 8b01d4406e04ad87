import type { Me } from "../../api/client";
import { Factors } from "../../parts/Factors";
import { Sessions } from "../../parts/Sessions";
import { Standing } from "../../parts/Standing";
import { useLeave } from "../../parts/useLeave";
import { Logo } from "../../ui/Logo";
import { Own } from "./Own";

/** What whoever is nobody but themselves sees: their own lineup. */
export function OwnPage({ me }: { me: Me }) {
  const leave = useLeave();
  return (
    <div className="flex min-h-screen flex-col">
      <header className="flex min-h-11 items-center gap-3 border-b border-rule-strong bg-sheet px-4">
        <span className="flex items-center gap-2 font-semibold">
          <Logo /> Cirque
        </span>
        <span className="ml-auto">{me.name}</span>
        <button
          type="button"
          className="min-h-[24px] underline underline-offset-2"
          onClick={() => leave()}
        >
          Sign out
        </button>
      </header>
      <Standing own />
      <main className="max-w-[46rem] px-4 py-4">
        <h1>Your printers</h1>
        <Own name={me.user ?? me.name ?? ""} />
        <div className="mt-8">
          <Sessions />
        </div>
        <div className="mt-8">
          <Factors />
        </div>
      </main>
    </div>
  );
}
