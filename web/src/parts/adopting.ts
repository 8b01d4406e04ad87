import { useNavigate } from "react-router";
import type { Selection } from "../api/client";

type Carried = { selections: Selection[] };

/** Leads to the page on which what was found is looked through before it enters the draft. */
export function useAdopting(): (selections: Selection[]) => void {
  const navigate = useNavigate();
  return (selections) => {
    const state: Carried = { selections };
    void navigate("/adopt", { state });
  };
}

/** What was chosen on the page before; null where nothing was. */
export function selectionsOf(state: unknown): Selection[] | null {
  const carried = state as Partial<Carried> | null;
  return Array.isArray(carried?.selections) ? carried.selections : null;
}
