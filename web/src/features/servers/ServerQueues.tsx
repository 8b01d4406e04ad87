import { useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo, useState } from "react";
import type { FoundQueue } from "../../api/client";
import { foundQueuesQuery } from "../../api/stock";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { DataTable, features, type Sort } from "../../ui/DataTable";
import { Exact } from "../../ui/Exact";
import { inputLook } from "../../ui/Field";
import { KeptViews } from "../../ui/KeptViews";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
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
  const { get, set } = useUrl();
  const all = queues.data ?? none;
  const [word, setWord] = useUrlText(get("find"), (w) => set("find", w));
  const [server, state] = [get("on"), get("state")];
  const rows = useMemo(
    () => narrowQueues(all, { word, server, state }),
    [all, word, server, state],
  );
  const sort: Sort = {
    id: get("sort").replace(/^-/, "") || "name",
    desc: get("sort").startsWith("-"),
  };
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  if (queues.isPending) return <Waiting what="the servers’ queues" />;
  if (!queues.data)
    return <Failure title="The servers’ queues cannot be shown" problem={queues.error} />;
  const picked = all.filter((q) => chosen.has(key(q)));
  return (
    <>
      <div className="my-3 flex flex-wrap items-end gap-4">
        <label className="flex flex-col gap-1">
          Find
          <input
            type="search"
            className={`${inputLook} w-64`}
            placeholder="name, driver, device, place…"
            value={word}
            onChange={(e) => setWord(e.target.value)}
          />
        </label>
        <Select
          label="Server"
          value={server}
          options={[...new Set(all.map((q) => q.server))].sort()}
          onChange={(v) => set("on", v)}
        />
        <Select
          label="State"
          value={state}
          options={[...queueStates]}
          onChange={(v) => set("state", v)}
        />
        <p role="status" className="pb-1 text-ink-2">
          {rows.length} of {all.length}
          {chosen.size > 0 && `, ${chosen.size} chosen`}
        </p>
        {picked.length > 0 && (
          <Button onClick={() => onAdopt(picked)}>Adopt {count(picked.length, "queue")}</Button>
        )}
        <span className="ml-auto">
          <KeptViews page="servers" />
        </span>
      </div>
      <DataTable
        caption="Queues on print servers"
        columns={columns}
        grid={grid}
        rows={rows}
        rowName={key}
        sort={sort}
        onSort={(s) => set("sort", `${s.desc ? "-" : ""}${s.id}`)}
        onOpen={(q) => onOpen(q.server)}
        chosen={chosen}
        onChoose={setChosen}
      />
      {rows.length === 0 && <p className="mt-2 text-ink-2">No queue fits. Take a filter away.</p>}
    </>
  );
}
