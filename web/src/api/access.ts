import { queryOptions } from "@tanstack/react-query";
import { api, askAll } from "./client";

export const accountsQuery = () =>
  queryOptions({
    queryKey: ["access", "accounts"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/accounts", { params: { query }, signal })),
  });
export const rulesQuery = () =>
  queryOptions({
    queryKey: ["access", "rules"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/access-rules", { params: { query }, signal })),
  });
export const sessionsQuery = () =>
  queryOptions({
    queryKey: ["access", "sessions"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/sessions", { params: { query }, signal })),
  });
export const tokensQuery = () =>
  queryOptions({
    queryKey: ["access", "tokens"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/tokens", { params: { query }, signal })),
  });
export const sitesQuery = () =>
  queryOptions({
    queryKey: ["queues", "sites"],
    queryFn: async ({ signal }) =>
      (await askAll((query) => api.GET("/api/v1/locations", { params: { query }, signal }))).filter(
        (l) => !l.path.includes("/"),
      ),
  });
