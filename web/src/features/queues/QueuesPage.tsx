import { useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo } from "react";
import type { Queue } from "../../api/client";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { features } from "../../ui/DataTable";
import { Drawer } from "../../ui/Drawer";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { labels, narrow, sites, stateOf } from "./model";
import { queuesQuery } from "../../api/queries";
import { draftDocumentQuery, draftQuery, findingsQuery } from "../../api/drafts";
import { QueueSheet } from "./QueueSheet";
import { useMay } from "../../parts/useMay";
import { QueuesTogether } from "./QueuesTogether";

const col = createColumnHelper<typeof features, Queue>();
const columns = col.columns([
  col.accessor("name", { id: "name", header: "Queue" }),
  col.accessor((q) => q.title ?? "", {
    id: "title",
    header: "Title",
    cell: (c) => {
      const purpose = c.row.original.purpose;
      return (
        <>
          {c.getValue()}
          {purpose && (
            <span className="block text-ink-2">
              {purpose === "practice" ? "for practice" : "for programs alone"}
            </span>
          )}
        </>
      );
    },
  }),
  col.accessor((q) => q.location ?? "", { id: "location", header: "Location" }),
  col.accessor((q) => q.through.join(", "), { id: "through", header: "Through" }),
  col.accessor((q) => (q.labels ?? []).join(", "), { id: "labels", header: "Labels" }),
  col.accessor((q) => stateOf(q), {
    id: "state",
    header: "State",
    cell: (c) => <Mark of={c.getValue()} />,
  }),
  col.accessor((q) => (q.given.state === "given" ? q.given.by.join(", ") : ""), {
    id: "grants",
    header: "Given by",
    cell: (c) => {
      const given = c.row.original.given;
      if (given.state === "given") return c.getValue();
      return given.state === "retired" ? (
        <Mark of="idle">nobody: retired</Mark>
      ) : (
        <Mark of="warning">nobody gets this</Mark>
      );
    },
  }),
]);
const grid = "11rem 14rem 16rem minmax(12rem, 1.2fr) 8rem 6rem minmax(12rem, 1fr)";
const none: Queue[] = [];

export function QueuesPage() {
  const queues = useQuery(queuesQuery());
  const url = useListUrl();
  const { get, set, word } = url;
  const all = queues.data ?? none;
  const [location, label, state] = [get("location"), get("label"), get("state")];
  const rows = useMemo(
    () => narrow(all, { word, location, label, state }),
    [all, word, location, label, state],
  );
  const mayEdit = useMay("edit a draft");
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
        <ListPage
          caption="Queues"
          page="queues"
          url={url}
          columns={columns}
          grid={grid}
          rows={rows}
          total={all.length}
          rowName={(q) => q.name}
          finds="name, place, device, grant…"
          filters={[
            { key: "location", label: "Site", options: sites(all) },
            { key: "label", label: "Label", options: labels(all) },
            { key: "state", label: "State", options: ["open", "paused", "retired"] },
          ]}
          says={changed > 0 && `; ${changed} changed in the draft`}
          onOpen={(q) => set("queue", q.name)}
          together={
            mayEdit
              ? (names, done) => (
                  <QueuesTogether
                    queues={(document.data?.queues ?? []).filter((q) => names.has(q.name))}
                    onDone={done}
                  />
                )
              : undefined
          }
        />
      )}
      {opened && (
        <Drawer
          title={opened.title || opened.name}
          name={opened.name}
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
