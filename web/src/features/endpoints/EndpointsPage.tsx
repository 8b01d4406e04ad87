import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo } from "react";
import { Link } from "react-router";
import type { EndpointRow } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { overviewQuery } from "../../api/queries";
import { ago } from "../../lib/time";
import { useMay } from "../../parts/useMay";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { features } from "../../ui/DataTable";
import { Drawer } from "../../ui/Drawer";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Sections } from "../../ui/Sections";
import { EndpointSheet } from "./EndpointSheet";
import { Enrolment } from "./Enrolment";
import { Versions } from "./Versions";
import { KnowingPeople } from "./KnowingPeople";
import { wrong } from "./model";
import { OverTime } from "./OverTime";
import { Pace } from "./Pace";
import { Snapshots } from "./Snapshots";
import { ProofPage } from "./ProofPage";
import { UnreachedPage } from "./UnreachedPage";
import { allEndpoints, endpointQuery, endpointsQuery, sorts, type EndpointFilter } from "./queries";

const states = ["converged", "behind", "failing", "silent"] as const;
const col = createColumnHelper<typeof features, EndpointRow>();
const grid = "11rem 8rem 6rem 6rem 6rem 9rem 8rem minmax(16rem, 1fr)";
const none: EndpointRow[] = [];

/** Endpoints with how they stand; enrolment; and how their people are known. */
export function EndpointsPage() {
  const { get } = useUrl();
  const show = get("show") || "endpoints";
  const mayEnrol = useMay("enrol endpoints");
  const mayEdit = useMay("edit a draft");
  return (
    <>
      <h1>Endpoints</h1>
      <Sections
        label="Parts of endpoints"
        current={show}
        of={[
          ["endpoints", "Endpoints", "/endpoints"],
          ["proof", "Has it arrived?", "/endpoints?show=proof"],
          ["time", "Over time", "/endpoints?show=time"],
          ["unreached", "Without an agent", "/endpoints?show=unreached"],
          ["snapshots", "Snapshots", "/endpoints?show=snapshots"],
          ["enrolment", "Enrolment", "/endpoints?show=enrolment"],
          ["people", "Their people", "/endpoints?show=people"],
          ["versions", "Versions", "/endpoints?show=versions"],
          ["pace", "Pace", "/endpoints?show=pace"],
        ]}
      />
      {show === "proof" ? (
        <ProofPage />
      ) : show === "unreached" ? (
        <UnreachedPage />
      ) : show === "snapshots" ? (
        <Snapshots />
      ) : show === "time" ? (
        <OverTime />
      ) : show === "enrolment" ? (
        <Enrolment mayEnrol={mayEnrol} />
      ) : show === "people" ? (
        <KnowingPeople mayEdit={mayEdit} />
      ) : show === "versions" ? (
        <Versions />
      ) : show === "pace" ? (
        <Pace mayEdit={mayEdit} />
      ) : (
        <Fleet />
      )}
    </>
  );
}

function Fleet() {
  const now = useNow();
  const url = useListUrl("machine");
  const { get, set } = url;
  const columns = useMemo(
    () =>
      col.columns([
        col.accessor((e) => e.machine, { id: "machine", header: "Endpoint" }),
        col.accessor((e) => e.state, {
          id: "state",
          header: "State",
          cell: (c) => <Mark of={c.getValue()} />,
        }),
        col.accessor((e) => e.queues, { id: "queues", header: "Queues" }),
        col.accessor((e) => e.users.length, { id: "users", header: "People" }),
        col.accessor((e) => e.revision, { id: "revision", header: "Revision" }),
        col.accessor((e) => e.platform, { id: "platform", header: "Platform" }),
        col.accessor((e) => e.last_seen, {
          id: "last_seen",
          header: "Last report",
          cell: (c) => ago(c.getValue(), now),
        }),
        col.accessor((e) => wrong(e), {
          id: "wrong",
          header: "What is wrong",
          enableSorting: false,
          cell: (c) => <span title={c.getValue()}>{c.getValue() || "–"}</span>,
        }),
      ]),
    [now],
  );
  const filter: EndpointFilter = {
    find: get("find"),
    state: states.find((s) => s === get("state")) ?? "",
    sort: sorts.find((s) => s === get("sort")) ?? "machine",
  };
  const endpoints = useInfiniteQuery(endpointsQuery(filter));
  const figures = useQuery(overviewQuery());
  const opened = useQuery(endpointQuery(get("endpoint")));
  const rows = useMemo(
    () => endpoints.data?.pages.flatMap((p) => p.items) ?? none,
    [endpoints.data],
  );
  if (endpoints.isPending) return <Waiting what="the endpoints" />;
  if (!endpoints.data)
    return <Failure title="The endpoints cannot be shown" problem={endpoints.error} />;
  const total = endpoints.data.pages[0]?.total ?? 0;
  const counts = figures.data?.endpoints ?? {};
  const all = states.reduce((n, s) => n + (counts[s] ?? 0), 0);
  const narrowed = filter.find !== "" || filter.state !== "";
  return (
    <>
      {total === 0 && !narrowed ? (
        <div className="mt-3">
          <Empty title="No endpoint has reported yet">
            Make an enrolment token under <Link to="/endpoints?show=enrolment">enrolment</Link>, and
            run what it says on the machine; then{" "}
            <code className="font-mono">cirque-agent run --spooler unix</code>.
          </Empty>
        </div>
      ) : (
        <ListPage
          caption="Endpoints"
          page="endpoints"
          url={url}
          columns={columns}
          grid={grid}
          rows={rows}
          total={all}
          rowName={(e) => e.machine}
          finds="machine, person, queue…"
          filters={[{ key: "state", label: "State", options: states }]}
          says={`; ${[
            ...states.filter((s) => (counts[s] ?? 0) > 0).map((s) => `${counts[s] ?? 0} ${s}`),
          ].join(
            ", ",
          )}${figures.data?.behind ? "; some have yet to be judged against the latest change" : ""}`}
          onOpen={(e) => set("endpoint", e.machine)}
          rest={{
            total,
            more: () => {
              if (endpoints.hasNextPage && !endpoints.isFetching) void endpoints.fetchNextPage();
            },
            all: () => allEndpoints(filter),
          }}
        />
      )}
      {get("endpoint") !== "" && (opened.data || opened.error) && (
        <Drawer
          title={opened.data?.report.machine ?? get("endpoint")}
          name={opened.data?.report.machine}
          description={
            opened.data
              ? `Last report ${ago(opened.data.last_seen, now)}; what it said then, against its lineups of now`
              : ""
          }
          open
          onOpenChange={() => set("endpoint", "")}
        >
          {opened.data ? (
            <EndpointSheet endpoint={opened.data} />
          ) : (
            <ProblemNotice title="The endpoint cannot be shown" error={opened.error} />
          )}
        </Drawer>
      )}
    </>
  );
}
