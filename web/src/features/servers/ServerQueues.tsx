import { useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo } from "react";
import type { FoundQueue } from "../../api/client";
import { foundQueuesQuery } from "../../api/stock";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { features } from "../../ui/DataTable";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { narrowQueues, queueStates, stateMarks, stateWords } from "../../parts/stock";

const col = createColumnHelper<typeof features, FoundQueue>();
const columns = col.columns([
  col.accessor("name", { id: "name", header: "Queue" }),
  col.accessor("server", { id: "server", header: "Server" }),
  col.accessor((q) => stateWords(q), {
    id: "state",
    header: "State",
    cell: (c) => <Mark of={stateMarks[c.row.original.state] ?? "silent"}>{c.getValue()}</Mark>,
  }),
  col.accessor("jobs", { id: "jobs", header: "Jobs" }),
  col.accessor((q) => q.model ?? "", {
    id: "driver",
    header: "Driver",
    cell: (c) =>
      c.getValue() ? <Exact text={c.getValue()} /> : <Mark of="warning">none told</Mark>,
  }),
  col.accessor((q) => q.device ?? "", { id: "device", header: "Device" }),
  col.accessor((q) => q.location ?? "", { id: "location", header: "Location" }),
  col.accessor((q) => q.leads.join(", "), {
    id: "leads",
    header: "Queue here",
    cell: (c) => c.getValue() || <Mark of="idle">nothing</Mark>,
  }),
]);
const grid = "10rem 8.5rem 13rem 3.5rem 16.5rem 13.5rem 8rem minmax(8rem, 1fr)";
const none: FoundQueue[] = [];
const key = (q: FoundQueue) => `${q.name} on ${q.server}`;

/** The queues of all servers as one list: narrowed, chosen, adopted. */
export function ServerQueues({
  onOpen,
  onAdopt,
}: {
  onOpen: (server: string) => void;
  onAdopt: (queues: FoundQueue[]) => void;
}) {
  const queues = useQuery(foundQueuesQuery());
  const url = useListUrl();
  const { get, word } = url;
  const all = queues.data ?? none;
  const [server, state] = [get("on"), get("state")];
  const rows = useMemo(
    () => narrowQueues(all, { word, server, state }),
    [all, word, server, state],
  );
  if (queues.isPending) return <Waiting what="the servers’ queues" />;
  if (!queues.data)
    return <Failure title="The servers’ queues cannot be shown" problem={queues.error} />;
  return (
    <ListPage
      caption="Queues on print servers"
      page="server-queues"
      url={url}
      columns={columns}
      grid={grid}
      rows={rows}
      total={all.length}
      rowName={key}
      finds="name, driver, device, place…"
      filters={[
        { key: "on", label: "Server", options: [...new Set(all.map((q) => q.server))].sort() },
        { key: "state", label: "State", options: queueStates },
      ]}
      onOpen={(q) => onOpen(q.server)}
      together={(names) => (
        <p className="mb-3">
          <Button onClick={() => onAdopt(all.filter((q) => names.has(key(q))))}>
            Adopt {count(names.size, "queue")}
          </Button>
        </p>
      )}
    />
  );
}
