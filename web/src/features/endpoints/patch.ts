import type { InfiniteData, QueryClient } from "@tanstack/react-query";
import { api, ask, type EndpointRow, type Page } from "../../api/client";
import { endpointQuery } from "./queries";

type Pages = InfiniteData<Page<EndpointRow>, string>;

/** Of how many endpoints at once the shown ones are asked for one by one; of more, the lists are asked for anew. */
const most = 20;

const shown = (client: QueryClient) =>
  client.getQueriesData<Pages>({ queryKey: ["endpoints", "list"], type: "active" });

/** Renews, of the endpoints that have reported, those that some list or page shows, and nothing else. */
export async function patchEndpoints(client: QueryClient, machines: Set<string>): Promise<void> {
  const inView = new Set<string>();
  for (const [, data] of shown(client))
    for (const page of data?.pages ?? [])
      for (const row of page.items) if (machines.has(row.machine)) inView.add(row.machine);
  for (const machine of machines)
    void client.invalidateQueries({ queryKey: endpointQuery(machine).queryKey });
  if (inView.size > most) {
    await client.invalidateQueries({ queryKey: ["endpoints", "list"] });
    return;
  }
  await Promise.all([...inView].map((machine) => patch(client, machine)));
}

async function patch(client: QueryClient, machine: string): Promise<void> {
  const found = await ask(api.GET("/api/v1/endpoints", { params: { query: { machine } } }));
  const next = found.items[0];
  if (!next) return;
  client.setQueriesData<Pages>(
    { queryKey: ["endpoints", "list"] },
    (old) =>
      old && {
        ...old,
        pages: old.pages.map((p) =>
          p.items.some((row) => row.machine === machine)
            ? { ...p, items: p.items.map((row) => (row.machine === machine ? next : row)) }
            : p,
        ),
      },
  );
}
