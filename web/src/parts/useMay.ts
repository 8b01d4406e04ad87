import { useQuery } from "@tanstack/react-query";
import { meQuery } from "../api/session";

/** Says whether who is signed in may do something, somewhere at least; the service has the last word. */
export function useMay(action: string): boolean {
  const me = useQuery(meQuery());
  return me.data?.may?.some((a) => a === action) ?? false;
}
