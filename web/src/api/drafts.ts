import { queryOptions, type QueryClient } from "@tanstack/react-query";
import { api, ask, askAll, type Edit, type FoundOne, type Grant } from "./client";
import { keepPreviousData } from "@tanstack/react-query";

/** One's own draft. */
export const draftQuery = () =>
  queryOptions({
    queryKey: ["draft", "changes"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/draft", { signal })),
  });

/** Everybody's drafts, the latest first. */
export const draftsQuery = () =>
  queryOptions({
    queryKey: ["draft", "all"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/drafts", { params: { query }, signal })),
  });

/** The drafts that are proposed to administrators of all sites. */
export const proposalsQuery = () =>
  queryOptions({
    queryKey: ["draft", "proposals"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/proposals", { params: { query }, signal })),
  });

/** The estate as one's own draft has it. */
export const draftDocumentQuery = () =>
  queryOptions({
    queryKey: ["draft", "document"],
    queryFn: async ({ signal }) =>
      (await ask(api.GET("/api/v1/draft/document", { signal }))).document,
  });

/** What a careful colleague would remark on in one's own draft. */
export const findingsQuery = () =>
  queryOptions({
    queryKey: ["findings"],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/findings", { params: { query: { ...query, revision: "draft" } }, signal }),
      ),
  });

/** How far a grant would go that is not kept yet. */
export const reachQuery = (grant: Grant) =>
  queryOptions({
    queryKey: ["reach", grant],
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/draft/reach", {
          body: { list: "grants", name: grant.name, object: grant },
          signal,
        }),
      ),
    enabled: Boolean(grant.name) && grant.queues.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
  });

export const findQuery = (kinds: FoundOne["kind"][], word: string) =>
  queryOptions({
    queryKey: ["search", kinds, word],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/search", { params: { query: { word, kind: kinds, limit: 50 } }, signal }),
      ),
    placeholderData: keepPreviousData,
  });

/** Puts edits into one's own draft, all or none. */
export const sendEdits = (edits: Edit[]) =>
  ask(api.POST("/api/v1/draft/edits", { body: { edits } }));

/** What is stale once one's own draft has changed. */
export async function draftChanged(client: QueryClient): Promise<void> {
  await Promise.all(
    ["draft", "findings", "reach"].map((k) => client.invalidateQueries({ queryKey: [k] })),
  );
}
