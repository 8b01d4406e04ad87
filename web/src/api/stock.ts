import { keepPreviousData, queryOptions } from "@tanstack/react-query";
import {
  api,
  ask,
  askAll,
  type NewTest,
  type Selection,
  type StockJob,
  type TestLine,
  type TestSheet,
} from "./client";
import { upload } from "./upload";
import { stream } from "./stream";

export const serversQuery = () =>
  queryOptions({
    queryKey: ["stock", "servers"],
    queryFn: async ({ signal }) =>
      await askAll((query) => api.GET("/api/v1/stock/servers", { params: { query }, signal })),
  });

export const serverQuery = (name: string) =>
  queryOptions({
    queryKey: ["stock", "servers", name],
    queryFn: async ({ signal }) =>
      await ask(api.GET("/api/v1/stock/servers/{name}", { params: { path: { name } }, signal })),
    placeholderData: keepPreviousData,
  });

/** The members of each server set, beside one another. */
export const setsQuery = () =>
  queryOptions({
    queryKey: ["stock", "sets"],
    queryFn: async ({ signal }) =>
      await askAll((query) => api.GET("/api/v1/stock/sets", { params: { query }, signal })),
  });

/** How far people have moved off servers that are out of duty; it goes on by itself while any is. */
export const movesQuery = () =>
  queryOptions({
    queryKey: ["duties", "moves"],
    queryFn: async ({ signal }) =>
      await askAll((query) => api.GET("/api/v1/moves", { params: { query }, signal })),
    refetchInterval: (q) => (q.state.data && q.state.data.length > 0 ? 3000 : 30_000),
  });

/** The queues of all servers. */
export const foundQueuesQuery = () =>
  queryOptions({
    queryKey: ["stock", "queues"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/stock/queues", { params: { query }, signal })),
  });

export const devicesQuery = () =>
  queryOptions({
    queryKey: ["stock", "devices"],
    queryFn: async ({ signal }) =>
      await askAll((query) => api.GET("/api/v1/stock/devices", { params: { query }, signal })),
  });

/** What scans found, and nobody listed. */
export const foundDevicesQuery = () =>
  queryOptions({
    queryKey: ["stock", "found"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/stock/found", { params: { query }, signal })),
  });

export const scansQuery = () =>
  queryOptions({
    queryKey: ["stock", "scans"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/stock/scans", { params: { query }, signal })),
    refetchInterval: (q) => (q.state.data?.some((s) => s.state === "running") ? 700 : false),
  });

export const capturesQuery = () =>
  queryOptions({
    queryKey: ["stock", "captures"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/stock/captures", { params: { query }, signal })),
  });

export const orphansQuery = () =>
  queryOptions({
    queryKey: ["stock", "orphans"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/stock/orphans", { signal })),
  });

export const dependsQuery = (name: string) =>
  queryOptions({
    queryKey: ["stock", "depends", name],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/stock/servers/{name}/depends", { params: { path: { name } }, signal })),
  });

export const compareQuery = (a: string, b: string) =>
  queryOptions({
    queryKey: ["stock", "compare", a, b],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/stock/servers/{name}/compare", {
          params: { path: { name: a }, query: { ...query, with: b } },
          signal,
        }),
      ),
    enabled: Boolean(a && b),
  });

export const credentialsQuery = () =>
  queryOptions({
    queryKey: ["stock", "credentials"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/credentials", { params: { query }, signal })),
  });

export const packagesQuery = () =>
  queryOptions({
    queryKey: ["drivers", "packages"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/drivers/packages", { params: { query }, signal })),
  });

export const placesQuery = () =>
  queryOptions({
    queryKey: ["places"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/drivers/places", { params: { query }, signal })),
  });

export const placeQuery = (name: string, find: string) =>
  queryOptions({
    queryKey: ["places", name, find],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/drivers/places/{name}", {
          params: { path: { name }, query: { limit: 200, ...(find && { find }) } },
          signal,
        }),
      ),
    placeholderData: (before) => before,
  });

export const fetchQuery = (name: string, id: number) =>
  queryOptions({
    queryKey: ["places", name, "fetch", id],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/drivers/places/{name}/fetches/{id}", {
          params: { path: { name, id } },
          signal,
        }),
      ),
  });

export const driverReportQuery = () =>
  queryOptions({
    queryKey: ["drivers", "report"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/drivers/report", { signal })),
  });

/** Exact names to choose from: those for a model first, one of them marked. */
export const namesQuery = (of: {
  model?: string;
  platform?: string;
  find?: string;
  uses?: DriverUse[];
  limit?: number;
}) =>
  queryOptions({
    queryKey: ["drivers", "names", of],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/drivers/names", { params: { query: of }, signal })),
    placeholderData: keepPreviousData,
  });

/** What people print, as the choice of a page language depends on it. */
export const driverUses = [
  "office",
  "layout",
  "drawings",
  "labels",
  "old-programs",
  "sessions",
] as const;
export type DriverUse = (typeof driverUses)[number];

export const propose = (selections: Selection[], names?: string) =>
  ask(api.POST("/api/v1/stock/proposals", { body: { selections, ...(names && { names }) } }));

/** Sends a test page and follows its job; the signal stops the following, not the job. */
export const testPage = (
  what: NewTest,
  tell: (job: StockJob) => void,
  signal: AbortSignal,
): Promise<TestSheet> =>
  stream<TestLine, TestSheet>(
    "/api/v1/stock/test-pages",
    what,
    "The test page",
    (line) => {
      if (line.job) tell(line.job);
      return line.result;
    },
    signal,
  );

/** Keeps a driver package out of a zip archive; tells how much has gone up. */
export const uploadPackage = (
  file: File,
  name: string,
  tell: (done: number, total: number) => void,
  signal: AbortSignal,
) =>
  upload<{ known: boolean; package: { digest: string; name: string; models: unknown[] } }>(
    `/api/v1/drivers/packages?name=${encodeURIComponent(name)}`,
    file,
    "application/zip",
    tell,
    signal,
  );
