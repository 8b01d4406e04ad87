import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../api/client";

/** Signs out; everything that was shown is asked anew, as nobody. */
export function useLeave(): () => void {
  const client = useQueryClient();
  const leave = useMutation({
    mutationFn: () => ask(api.DELETE("/api/v1/session")),
    onSuccess: () => client.invalidateQueries(),
  });
  return () => leave.mutate();
}
