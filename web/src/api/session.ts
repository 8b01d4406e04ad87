import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "./client";

export const meQuery = () =>
  queryOptions({
    queryKey: ["me"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/session", { signal })),
  });
