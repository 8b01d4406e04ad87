import { useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo } from "react";
import type { DeviceView } from "../../api/client";
import { draftDocumentQuery } from "../../api/drafts";
import { devicesQuery, foundDevicesQuery } from "../../api/stock";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { Button } from "../../ui/Button";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { features } from "../../ui/DataTable";
import { Drawer } from "../../ui/Drawer";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Sections } from "../../ui/Sections";
import { useAdopting } from "../../parts/adopting";
import { DeviceSheet } from "./DeviceSheet";
import { DevicesTogether } from "./DevicesTogether";
import { Found } from "./Found";
import {
  deviceStates,
  hostOf,
  narrowDevices,
  sitesOf,
  stands,
  stateMarks,
  stateWords,
} from "../../parts/stock";
import { Orphans } from "./Orphans";
import { Register } from "../../parts/Register";
import { Reservations } from "./Reservations";
import { Scan } from "./Scan";

const col = createColumnHelper<typeof features, DeviceView>();
const grid = "9.5rem 7.5rem 12rem 13rem minmax(13rem, 1.2fr) 7rem minmax(10rem, 1fr) 9rem";

/** Devices as one list; what scans found; reservations; what nothing leads to. */
export function DevicesPage() {
  const devices = useQuery(devicesQuery());
  const found = useQuery(foundDevicesQuery());
  const document = useQuery(draftDocumentQuery());
  const { get, set, put } = useUrl();
  const adopt = useAdopting();
  const show = get("show");
  if (devices.isPending) return <Waiting what="the devices" />;
  if (!devices.data) return <Failure title="The devices cannot be shown" problem={devices.error} />;
  const opened = devices.data.find((d) => d.name === get("device"));
  const sections = [
    ["", "Devices", "/devices"],
    ["found", `Found${found.data?.length ? ` (${found.data.length})` : ""}`, "/devices?show=found"],
    ["scan", "Scan", "/devices?show=scan"],
    ["reservations", "Reservations", "/devices?show=reservations"],
    ["orphans", "Leading nowhere", "/devices?show=orphans"],
  ] as const;
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-6">
        <h1>Devices</h1>
        <Sections label="Parts of this page" current={show} of={sections} />
        <span className="ml-auto">
          <Button kind="main" onClick={() => set("register", "yes")}>
            Register a device
          </Button>
        </span>
      </div>
      {show === "" && <List all={devices.data} />}
      {show === "found" && (
        <Found
          onRegister={(a) => set("register", a)}
          onAdopt={(list) => adopt(list.map((from) => ({ kind: "device", from })))}
        />
      )}
      {show === "scan" && <Scan />}
      {show === "reservations" && <Reservations />}
      {show === "orphans" && <Orphans />}
      {opened && (
        <Drawer
          title={opened.title || opened.name}
          name={opened.name}
          description={`Device ${opened.name}${opened.location ? `, at ${opened.location}` : ""}`}
          open
          onOpenChange={() => set("device", "")}
        >
          <DeviceSheet
            device={opened}
            drafted={document.data?.devices?.find((d) => d.name === opened.name)}
            onAdopt={() => adopt([{ kind: "device", from: opened.name }])}
            onGone={() => set("device", "")}
          />
        </Drawer>
      )}
      {get("register") && (
        <Drawer
          title="Register a device"
          description="It is questioned at once, and then at intervals; nothing on it is changed"
          open
          onOpenChange={() => set("register", "")}
        >
          <Register
            kind="device"
            start={get("register") === "yes" ? {} : { uri: get("register") }}
            onDone={(name) => put({ register: "", show: "", device: name })}
          />
        </Drawer>
      )}
    </>
  );
}

function List({ all }: { all: DeviceView[] }) {
  const now = useNow();
  const url = useListUrl();
  const { get, set, word } = url;
  const document = useQuery(draftDocumentQuery());
  const [site, state] = [get("site"), get("state")];
  const rows = useMemo(() => narrowDevices(all, { word, site, state }), [all, word, site, state]);
  const columns = useMemo(
    () =>
      col.columns([
        col.accessor("name", { id: "name", header: "Device" }),
        col.accessor((d) => hostOf(d.uri), { id: "address", header: "Address" }),
        col.accessor((d) => d.reading?.model ?? "", { id: "model", header: "Model" }),
        col.accessor((d) => (d.reading ? stateWords(d.reading) : ""), {
          id: "state",
          header: "State",
          cell: (c) =>
            c.row.original.reading ? (
              <Mark of={stateMarks[c.row.original.reading.state] ?? "silent"}>{c.getValue()}</Mark>
            ) : (
              "–"
            ),
        }),
        col.accessor((d) => stands(d.check, now, d.machine).says, {
          id: "stands",
          header: "Status",
          cell: (c) => (
            <span title={c.getValue()}>
              <Mark of={stands(c.row.original.check, now, c.row.original.machine).mark}>
                {c.getValue()}
              </Mark>
            </span>
          ),
        }),
        col.accessor((d) => d.address_kept_by ?? "unknown", { id: "kept", header: "Kept by" }),
        col.accessor((d) => d.differs.map((x) => x.kind).join(", "), {
          id: "differs",
          header: "Not as written",
          cell: (c) =>
            c.getValue() ? (
              <span title={c.row.original.differs.map((x) => x.says).join("; ")}>
                <Mark
                  of={c.row.original.differs.some((x) => x.severity === "error") ? "no" : "warning"}
                >
                  {c.getValue()}
                </Mark>
              </span>
            ) : (
              "–"
            ),
        }),
        col.accessor((d) => d.queues.join(", "), {
          id: "queues",
          header: "Queues",
          cell: (c) => c.getValue() || <Mark of="warning">none</Mark>,
        }),
      ]),
    [now],
  );
  if (all.length === 0)
    return (
      <div className="mt-3">
        <Empty title="No device is known yet">
          Register one by its address, or scan a range; the estate’s devices appear here by
          themselves.
        </Empty>
      </div>
    );
  return (
    <ListPage
      caption="Devices"
      page="devices"
      url={url}
      columns={columns}
      grid={grid}
      rows={rows}
      total={all.length}
      rowName={(d) => d.name}
      finds="name, address, serial, model, place…"
      filters={[
        { key: "site", label: "Site", options: sitesOf(all) },
        { key: "state", label: "State", options: deviceStates },
      ]}
      onOpen={(d) => set("device", d.name)}
      together={(names, done) => (
        <DevicesTogether
          devices={(document.data?.devices ?? []).filter((d) => names.has(d.name))}
          onDone={done}
        />
      )}
    />
  );
}
