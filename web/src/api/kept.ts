import { queryOptions } from "@tanstack/react-query";
import { api, ask, askAll } from "./client";

/** The print servers that are kept, and machines that are ready to keep one. */
export const keptServersQuery = () =>
  queryOptions({
    queryKey: ["kept", "servers"],
    queryFn: async ({ signal }) =>
      await askAll((query) => api.GET("/api/v1/kept-servers", { params: { query }, signal })),
  });

export const keptServerQuery = (name: string) =>
  queryOptions({
    queryKey: ["kept", "servers", name],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/kept-servers/{name}", { params: { path: { name } }, signal })),
  });

export const whyOnServerQuery = (name: string, queue: string) =>
  queryOptions({
    queryKey: ["kept", "why", name, queue],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/kept-servers/{name}/why", {
          params: { path: { name }, query: { queue } },
          signal,
        }),
      ),
  });

/** A server's drivers, paper forms and ports. */
export const insideQuery = (name: string) =>
  queryOptions({
    queryKey: ["stock", "inside", name],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/stock/servers/{name}/inside", { params: { path: { name } }, signal })),
  });

/** Queues against servers and platforms. */
export const matrixQuery = (find: string, holes: boolean) =>
  queryOptions({
    queryKey: ["stock", "matrix", find, holes],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/stock/matrix", {
          params: { query: { find, holes, limit: 300 } },
          signal,
        }),
      ),
  });
