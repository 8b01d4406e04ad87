import { queryOptions } from "@tanstack/react-query";
import { api, ask, type NoticeView } from "../../api/client";

export const overviewQuery = () =>
  queryOptions({
    queryKey: ["overview"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/overview", { signal })),
  });
export const eventsQuery = () =>
  queryOptions({
    queryKey: ["events"],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/events", { params: { query: { limit: 20 } }, signal })),
  });

export const dutiesQuery = () =>
  queryOptions({
    queryKey: ["duties"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/duties", { signal })),
  });

/** What is wrong just now; who is told of it; what was sent. */
export const faultsQuery = () =>
  queryOptions({
    queryKey: ["faults"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/faults", { signal })),
    refetchInterval: 30_000,
  });
export const noticesQuery = () =>
  queryOptions({
    queryKey: ["faults", "notices"],
    queryFn: async ({ signal }) =>
      (await ask(api.GET("/api/v1/notices", { signal }))) as NoticeView[],
    refetchInterval: 30_000,
  });
export const sentQuery = () =>
  queryOptions({
    queryKey: ["faults", "sent"],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/notices/sent", { params: { query: { limit: 50 } }, signal })),
    refetchInterval: 30_000,
  });
