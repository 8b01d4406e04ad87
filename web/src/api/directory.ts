import { queryOptions, type QueryClient } from "@tanstack/react-query";
import { api, ask, askAll } from "./client";

export const sourcesQuery = () =>
  queryOptions({
    queryKey: ["sources", "list"],
    queryFn: async ({ signal }) =>
      await askAll((query) => api.GET("/api/v1/directory/sources", { params: { query }, signal })),
  });

export const runsQuery = () =>
  queryOptions({
    queryKey: ["sources", "runs"],
    queryFn: async ({ signal }) =>
      (await ask(api.GET("/api/v1/directory/runs", { params: { query: { limit: 50 } }, signal })))
        .items,
  });

export const renamesQuery = () =>
  queryOptions({
    queryKey: ["sources", "renames"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/directory/renames", { params: { query }, signal })),
  });

export const sourcesChanged = (client: QueryClient) =>
  client.invalidateQueries({ queryKey: ["sources"] });

export const listingsQuery = () =>
  queryOptions({
    queryKey: ["sources", "listings"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/directory/listings", { params: { query }, signal })),
  });
