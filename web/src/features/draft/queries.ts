import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, ask, askAll } from "../../api/client";
import type { Kind, Way } from "../../api/rehearse";

export type Figure = { kind: Kind; by?: Way | undefined; key?: string | undefined };

/** The contexts behind a figure of a rehearsal. */
export const effectsQuery = (id: string, f: Figure) =>
  queryOptions({
    queryKey: ["effects", id, f],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/rehearsals/{id}/effects", {
          params: {
            path: { id },
            query: { kind: f.kind, ...(f.by && { by: f.by, key: f.key ?? "" }), limit: 200 },
          },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });

/** What a draft brings about that there would be to remark on, by its version. */
export const broughtQuery = (draft: { name: string; version: number }) =>
  queryOptions({
    queryKey: ["findings", "brought", draft.name, draft.version],
    queryFn: ({ signal }) =>
      ask(api.POST("/api/v1/estate/check", { body: { draft: draft.name }, signal })),
  });

/** On which single servers and devices how many depend. */
export const coverageQuery = () =>
  queryOptions({
    queryKey: ["coverage"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/coverage", { params: { query }, signal })),
  });
