import { queryOptions } from "@tanstack/react-query";
import { api, ask, askAll } from "./client";

/** The current revision, or none yet. */
export const revisionQuery = () =>
  queryOptions({
    queryKey: ["revision"],
    queryFn: async ({ signal }) =>
      (await ask(api.GET("/api/v1/revisions", { params: { query: { limit: 1 } }, signal })))
        .items[0] ?? null,
  });

/** The figures of the first page; how many endpoints stand how among them. */
export const overviewQuery = () =>
  queryOptions({
    queryKey: ["overview"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/overview", { signal })),
  });

export const queuesQuery = () =>
  queryOptions({
    queryKey: ["queues"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/queues", { params: { query }, signal })),
  });
