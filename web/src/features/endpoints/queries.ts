import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "../../api/client";

export const endpointsQuery = () =>
  queryOptions({
    queryKey: ["endpoints"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/endpoints", { signal })),
    refetchInterval: 60_000,
  });
