import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import { api, ask, type FoundOne } from "../api/client";
import { isAskable, queryOf, whenOf, type Context } from "../lib/context";

/** A context with what is known of its machine added, and what nobody knows of it. */
export const completedQuery = (c: Context, sessionGiven: boolean) =>
  queryOptions({
    queryKey: ["context", c, sessionGiven],
    queryFn: ({ signal }) => {
      const { session, addresses, ...rest } = queryOf(c);
      return ask(
        api.GET("/api/v1/context", {
          params: {
            query: {
              ...rest,
              ...(sessionGiven && { session }),
              ...(addresses && { address: addresses }),
            },
          },
          signal,
        }),
      );
    },
    enabled: isAskable(c),
    placeholderData: keepPreviousData,
  });

export const lineupQuery = (c: Context) =>
  queryOptions({
    queryKey: ["lineup", c],
    queryFn: ({ signal }) =>
      ask(api.POST("/api/v1/lineups", { params: { query: whenOf(c) }, body: queryOf(c), signal })),
    enabled: isAskable(c),
    placeholderData: keepPreviousData,
  });

export const whyQuery = (c: Context, queue: string) =>
  queryOptions({
    queryKey: ["why", c, queue],
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/why", {
          params: { query: whenOf(c) },
          body: { context: queryOf(c), queue },
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
  });

export const subjectQuery = (kind: "user" | "machine", name: string) =>
  queryOptions({
    queryKey: ["subject", kind, name],
    queryFn: ({ signal }) =>
      ask(
        kind === "user"
          ? api.GET("/api/v1/people/{name}", { params: { path: { name } }, signal })
          : api.GET("/api/v1/machines/{name}", { params: { path: { name } }, signal }),
      ),
  });

export const searchQuery = (kinds: FoundOne["kind"][], word: string) =>
  queryOptions({
    queryKey: ["search", kinds, word],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/search", { params: { query: { word, kind: kinds, limit: 50 } }, signal }),
      ),
    placeholderData: keepPreviousData,
  });
