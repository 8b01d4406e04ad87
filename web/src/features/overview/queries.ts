import { queryOptions } from "@tanstack/react-query";
import { api, ask, askAll } from "../../api/client";

export const eventsQuery = () =>
  queryOptions({
    queryKey: ["events"],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/events", { params: { query: { limit: 20, routine: "no" } }, signal })),
  });

/** What people have asked for, the latest first; an answer is an event, so it is asked anew. */
export const requestsQuery = () =>
  queryOptions({
    queryKey: ["events", "requests"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/requests", { params: { query }, signal })),
  });

export const dutiesQuery = () =>
  queryOptions({
    queryKey: ["duties"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/duties", { params: { query }, signal })),
  });

/** What is wrong just now; who is told of it; what was sent. */
export const faultsQuery = () =>
  queryOptions({
    queryKey: ["faults"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/faults", { params: { query }, signal })),
    refetchInterval: 30_000,
  });
export const noticesQuery = () =>
  queryOptions({
    queryKey: ["faults", "notices"],
    queryFn: async ({ signal }) =>
      await askAll((query) => api.GET("/api/v1/notices", { params: { query }, signal })),
    refetchInterval: 30_000,
  });
export const sentQuery = () =>
  queryOptions({
    queryKey: ["faults", "sent"],
    queryFn: async ({ signal }) =>
      (await ask(api.GET("/api/v1/notices/sent", { params: { query: { limit: 50 } }, signal })))
        .items,
    refetchInterval: 30_000,
  });
