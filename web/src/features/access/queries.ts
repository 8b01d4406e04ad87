import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "../../api/client";

export const accountsQuery = () =>
  queryOptions({
    queryKey: ["access", "accounts"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/accounts", { signal })),
  });
export const rulesQuery = () =>
  queryOptions({
    queryKey: ["access", "rules"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/access-rules", { signal })),
  });
export const sessionsQuery = () =>
  queryOptions({
    queryKey: ["access", "sessions"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/sessions", { signal })),
  });
export const tokensQuery = () =>
  queryOptions({
    queryKey: ["access", "tokens"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/tokens", { signal })),
  });
export const sitesQuery = () =>
  queryOptions({
    queryKey: ["queues", "sites"],
    queryFn: async ({ signal }) =>
      (await ask(api.GET("/api/v1/locations", { signal }))).filter((l) => !l.path.includes("/")),
  });
