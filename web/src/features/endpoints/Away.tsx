import { useQuery } from "@tanstack/react-query";
import { endpointQuery } from "./queries";

/** What an endpoint has for where it is: what goes when it leaves, and when. */
export function Away({ machine }: { machine: string }) {
  const one = useQuery(endpointQuery(machine));
  if (!one.data) return null;
  const away = one.data.away ?? [];
  return (
    <p className="text-ink-2">
      {away.length === 0
        ? "What it has does not depend on the network where it is."
        : `On a network that the estate does not know it would lose ${away.join(", ")}, as soon as its agent sees the other address, and have it again on its return.`}
    </p>
  );
}
