import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, ask, askAll, type EndpointRow } from "../../api/client";

/** By what the service sorts endpoints; a dash before it for the other way round. */
export const sorts = [
  ...(["machine", "state", "last_seen", "queues", "users", "revision", "platform"] as const),
  ...(["-machine", "-state", "-last_seen", "-queues", "-users", "-revision", "-platform"] as const),
];
export type EndpointSort = (typeof sorts)[number];

/** Which endpoints are asked for, and in which order; what is empty does not narrow. */
export type EndpointFilter = { find: string; state: EndpointRow["state"] | ""; sort: EndpointSort };

const asked = (f: EndpointFilter) => ({
  sort: f.sort,
  ...(f.find && { find: f.find }),
  ...(f.state && { state: f.state }),
});

const pageSize = 200;

/** Endpoints page by page, as far as they are scrolled to. */
export const endpointsQuery = (f: EndpointFilter) =>
  infiniteQueryOptions({
    queryKey: ["endpoints", "list", f],
    queryFn: ({ pageParam, signal }) =>
      ask(
        api.GET("/api/v1/endpoints", {
          params: { query: { ...asked(f), limit: pageSize, after: pageParam } },
          signal,
        }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next || undefined,
    placeholderData: keepPreviousData,
    refetchInterval: 60_000,
  });

/** All endpoints that a filter lets through, for a file. */
export const allEndpoints = (f: EndpointFilter): Promise<EndpointRow[]> =>
  askAll((page) => api.GET("/api/v1/endpoints", { params: { query: { ...asked(f), ...page } } }));

/** One endpoint with all that it reported. */
export const endpointQuery = (machine: string) =>
  queryOptions({
    queryKey: ["endpoints", "one", machine],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/endpoints/{machine}", { params: { path: { machine } }, signal })),
    enabled: machine !== "",
  });
