import { useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo, useState } from "react";
import type { Queue } from "../../api/client";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { DataTable, features, type Sort } from "../../ui/DataTable";
import { Drawer } from "../../ui/Drawer";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { KeptViews } from "../../ui/KeptViews";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { labels, narrow, sites, stateOf } from "./model";
import { queuesQuery } from "../../api/queries";
import { draftDocumentQuery, draftQuery, findingsQuery } from "../../api/drafts";
import { QueueSheet } from "./QueueSheet";
import { useMay } from "../../parts/useMay";
import { QueuesTogether } from "./QueuesTogether";

const col = createColumnHelper<typeof features, Queue>();
const columns = col.columns([
  col.accessor("name", { id: "name", header: "Queue" }),
  col.accessor((q) => q.title ?? "", { id: "title", header: "Title" }),
  col.accessor((q) => q.location ?? "", { id: "location", header: "Location" }),
  col.accessor((q) => q.through.join(", "), { id: "through", header: "Through" }),
  col.accessor((q) => (q.labels ?? []).join(", "), { id: "labels", header: "Labels" }),
  col.accessor((q) => stateOf(q), {
    id: "state",
    header: "State",
    cell: (c) => <Mark of={c.getValue()} />,
  }),
  col.accessor((q) => q.grants.join(", "), {
    id: "grants",
    header: "Grants",
    cell: (c) => c.getValue() || <Mark of="warning">nobody gets this</Mark>,
  }),
]);
const grid = "11rem 14rem 16rem minmax(12rem, 1.2fr) 8rem 6rem minmax(12rem, 1fr)";
const none: Queue[] = [];

export function QueuesPage() {
  const queues = useQuery(queuesQuery());
  const { get, set } = useUrl();
  const all = queues.data ?? none;
  const [word, setWord] = useUrlText(get("find"), (w) => set("find", w));
  const [location, label, state] = [get("location"), get("label"), get("state")];
  const rows = useMemo(
    () => narrow(all, { word, location, label, state }),
    [all, word, location, label, state],
  );
  const sort: Sort = {
    id: get("sort").replace(/^-/, "") || "name",
    desc: get("sort").startsWith("-"),
  };
  const mayEdit = useMay("edit a draft");
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const draft = useQuery(draftQuery());
  const document = useQuery(draftDocumentQuery());
  const findings = useQuery(findingsQuery());
  const changed = (draft.data?.changes ?? []).filter((c) => c.list === "queues").length;
  const opened = all.find((q) => q.name === get("queue") || q.formerly?.includes(get("queue")));
  if (queues.isPending) return <Waiting what="the queues" />;
  if (!queues.data) return <Failure title="The queues cannot be shown" problem={queues.error} />;
  return (
    <>
      <h1>Queues</h1>
      {all.length === 0 ? (
        <div className="mt-3">
          <Empty title="There is no queue yet">
            Queues are part of the estate: write them in a file and publish it with{" "}
            <code className="font-mono">cirque estate apply FILE --publish -m REASON</code>.
          </Empty>
        </div>
      ) : (
        <>
          <div className="my-3 flex flex-wrap items-end gap-4">
            <label className="flex flex-col gap-1">
              Find
              <input
                type="search"
                className={`${inputLook} w-64`}
                placeholder="name, place, device, grant…"
                value={word}
                onChange={(e) => setWord(e.target.value)}
              />
            </label>
            <Select
              label="Site"
              value={location}
              options={sites(all)}
              onChange={(v) => set("location", v)}
            />
            <Select
              label="Label"
              value={label}
              options={labels(all)}
              onChange={(v) => set("label", v)}
            />
            <Select
              label="State"
              value={state}
              options={["open", "paused", "retired"]}
              onChange={(v) => set("state", v)}
            />
            <p role="status" className="pb-1 text-ink-2">
              {rows.length} of {all.length}
              {chosen.size > 0 && `, ${chosen.size} chosen`}
              {changed > 0 && `; ${changed} changed in the draft`}
            </p>
            <span className="ml-auto">
              <KeptViews page="queues" />
            </span>
          </div>
          {chosen.size > 0 && (
            <QueuesTogether
              queues={(document.data?.queues ?? []).filter((q) => chosen.has(q.name))}
              onDone={() => setChosen(new Set())}
            />
          )}
          <DataTable
            caption="Queues"
            columns={columns}
            grid={grid}
            rows={rows}
            rowName={(q) => q.name}
            sort={sort}
            onSort={(s) => set("sort", `${s.desc ? "-" : ""}${s.id}`)}
            onOpen={(q) => set("queue", q.name)}
            {...(mayEdit && { chosen, onChoose: setChosen })}
          />
          {rows.length === 0 && (
            <p className="mt-2 text-ink-2">No queue fits. Take a filter away.</p>
          )}
        </>
      )}
      {opened && (
        <Drawer
          title={opened.title || opened.name}
          description={`Queue ${opened.name}${opened.location ? `, at ${opened.location}` : ""}`}
          open
          onOpenChange={() => set("queue", "")}
        >
          <QueueSheet
            queue={opened}
            drafted={document.data?.queues?.find((q) => q.name === opened.name)}
            findings={(findings.data ?? []).filter(
              (f) => f.at.list === "queues" && f.at.name === opened.name,
            )}
          />
        </Drawer>
      )}
    </>
  );
}
