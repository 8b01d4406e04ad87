import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "./client";

/** The current revision, or none yet. */
export const revisionQuery = () =>
  queryOptions({
    queryKey: ["revision"],
    queryFn: async ({ signal }) =>
      (await ask(api.GET("/api/v1/revisions", { params: { query: { limit: 1 } }, signal })))[0] ??
      null,
  });

export const queuesQuery = () =>
  queryOptions({
    queryKey: ["queues"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/queues", { signal })),
  });
