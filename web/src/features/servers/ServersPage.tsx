import { useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo } from "react";
import type { Selection, ServerView } from "../../api/client";
import { serversQuery } from "../../api/stock";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { features } from "../../ui/DataTable";
import { Drawer } from "../../ui/Drawer";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Sections } from "../../ui/Sections";
import { useAdopting } from "../../parts/adopting";
import { Compare } from "./Compare";
import { dutyMark, narrowServers, stands } from "../../parts/stock";
import { Register } from "../../parts/Register";
import { KeptList } from "./KeptList";
import { Matrix } from "./Matrix";
import { ServerQueues } from "./ServerQueues";
import { ServerSheet } from "./ServerSheet";

const col = createColumnHelper<typeof features, ServerView>();
const grid = "11rem minmax(16rem, 1.2fr) 5rem 6rem 5rem 6rem 9rem 9rem minmax(9rem, 1fr)";
const sections = [
  ["", "Servers", "/servers"],
  ["queues", "Their queues", "/servers?show=queues"],
  ["compare", "Compare two", "/servers?show=compare"],
  ["kept", "Kept by Cirque", "/servers?show=kept"],
  ["matrix", "Where queues are", "/servers?show=matrix"],
] as const;

/** Print servers as one list, their queues as another, and what is taken out of both. */
export function ServersPage() {
  const servers = useQuery(serversQuery());
  const { get, set, put } = useUrl();
  const adopt = useAdopting();
  const show = get("show");
  if (servers.isPending) return <Waiting what="the servers" />;
  if (!servers.data) return <Failure title="The servers cannot be shown" problem={servers.error} />;
  const opened = servers.data.find((s) => s.name === get("server"));
  const bySelf = (queues: { name: string; server: string }[]): Selection[] =>
    [...new Set(queues.map((q) => q.server))].map((from) => ({
      kind: "server",
      from,
      found: queues.filter((q) => q.server === from).map((q) => q.name),
    }));
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-6">
        <h1>Servers</h1>
        <Sections label="Parts of this page" current={show} of={sections} />
        <span className="ml-auto">
          <Button kind="main" onClick={() => set("register", "yes")}>
            Register a server
          </Button>
        </span>
      </div>
      {show === "" && <List all={servers.data} />}
      {show === "queues" && (
        <ServerQueues onOpen={(s) => set("server", s)} onAdopt={(q) => adopt(bySelf(q))} />
      )}
      {show === "compare" && <Compare servers={servers.data} />}
      {show === "kept" && <KeptList />}
      {show === "matrix" && <Matrix />}
      {opened && (
        <Drawer
          title={opened.title || opened.name}
          name={opened.name}
          description={`Print server ${opened.name}${opened.location ? `, at ${opened.location}` : ""}`}
          open
          onOpenChange={() => set("server", "")}
        >
          <ServerSheet
            name={opened.name}
            onAdopt={(queues) => adopt([{ kind: "server", from: opened.name, found: queues }])}
            onGone={() => set("server", "")}
          />
        </Drawer>
      )}
      {get("register") && (
        <Drawer
          title="Register a server"
          description="It is read at once, and then at intervals; nothing on it is changed"
          open
          onOpenChange={() => set("register", "")}
        >
          <Register kind="server" onDone={(name) => put({ register: "", server: name })} />
        </Drawer>
      )}
    </>
  );
}

function List({ all }: { all: ServerView[] }) {
  const now = useNow();
  const url = useListUrl();
  const { get, set, word } = url;
  const state = get("state");
  const rows = useMemo(() => narrowServers(all, { word, state }), [all, word, state]);
  const columns = useMemo(
    () =>
      col.columns([
        col.accessor("name", { id: "name", header: "Server" }),
        col.accessor((s) => stands(s.check, now).says, {
          id: "stands",
          header: "Status",
          cell: (c) => <Mark of={stands(c.row.original.check, now).mark}>{c.getValue()}</Mark>,
        }),
        col.accessor((s) => s.count.queues, { id: "queues", header: "Queues" }),
        col.accessor((s) => s.count.not_ready, {
          id: "not-ready",
          header: "Not ready",
          cell: (c) => (c.getValue() > 0 ? <Mark of="warning">{c.getValue()}</Mark> : 0),
        }),
        col.accessor((s) => s.count.jobs, { id: "jobs", header: "Jobs" }),
        col.accessor("duty", {
          id: "duty",
          header: "Duty",
          cell: (c) => <Mark of={dutyMark(c.getValue(), 1)}>{c.getValue()}</Mark>,
        }),
        col.accessor((s) => s.location ?? "", { id: "location", header: "Location" }),
        col.accessor((s) => s.sets.join(", "), { id: "sets", header: "Sets" }),
        col.accessor((s) => s.differences, {
          id: "differs",
          header: "Against the estate",
          cell: (c) =>
            !c.row.original.in_estate ? (
              <Mark of="idle">not in the estate</Mark>
            ) : c.getValue() > 0 ? (
              <Mark of="warning">{count(c.getValue(), "difference")}</Mark>
            ) : (
              "as written"
            ),
        }),
      ]),
    [now],
  );
  if (all.length === 0)
    return (
      <div className="mt-3">
        <Empty title="No print server is known yet">
          Register one by its host name or address; its queues are read at once. The estate’s
          servers appear here by themselves.
        </Empty>
      </div>
    );
  const total = all.reduce((n, s) => n + s.count.queues, 0);
  return (
    <ListPage
      caption="Servers"
      page="servers"
      url={url}
      columns={columns}
      grid={grid}
      rows={rows}
      total={all.length}
      rowName={(s) => s.name}
      finds="name, address, place, set…"
      filters={[
        {
          key: "state",
          label: "State",
          options: [
            { value: "silent", label: "not answering" },
            { value: "not-ready", label: "with queues that are not ready" },
            { value: "jobs", label: "with jobs waiting" },
            { value: "differs", label: "not as the estate says" },
          ],
        },
      ]}
      says={`; ${count(total, "queue")} in all`}
      onOpen={(s) => set("server", s.name)}
    />
  );
}
