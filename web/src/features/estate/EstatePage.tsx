import { useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo } from "react";
import { Link } from "react-router";
import { api, askAll, type Finding } from "../../api/client";
import { draftDocumentQuery, draftQuery, findingsQuery } from "../../api/drafts";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { useMay } from "../../parts/useMay";
import { Button } from "../../ui/Button";
import { features } from "../../ui/DataTable";
import { Drawer } from "../../ui/Drawer";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { Picker } from "../../ui/Picker";
import { Sections } from "../../ui/Sections";
import { Addresses } from "./Addresses";
import { lists, queueFor, rowOf, type Keyed, type ListName, type Row, type Thing } from "./model";
import { ObjectSheet } from "./ObjectSheet";
import { TableInOut } from "./TableInOut";

/** Which keys the objects of each list have; it changes with the service alone. */
const keysQuery = () => ({
  queryKey: ["estate-keys"],
  queryFn: ({ signal }: { signal: AbortSignal }) =>
    askAll((query) => api.GET("/api/v1/estate/keys", { params: { query }, signal })),
  staleTime: Infinity,
});

const col = createColumnHelper<typeof features, Row>();
const marks: Record<string, string> = { added: "plus", changed: "behind" };
const column = {
  title: col.accessor("title", { id: "title", header: "Title" }),
  place: col.accessor("place", { id: "place", header: "Location" }),
  says: col.accessor("says", { id: "says", header: "Says" }),
  note: col.accessor("note", { id: "note", header: "Note" }),
  state: col.accessor("state", {
    id: "state",
    header: "In the draft",
    cell: (c) =>
      c.getValue() ? <Mark of={marks[c.getValue()] ?? "idle"}>{c.getValue()}</Mark> : "",
  }),
};
const flat = [
  col.accessor("name", { id: "name", header: "Name" }),
  column.title,
  column.place,
  column.says,
  column.note,
  column.state,
];
/** Places lie below each other; the last part of the path says which. */
const tree = [
  col.accessor("name", {
    id: "name",
    header: "Place",
    cell: (c) => {
      const parts = c.getValue().split("/");
      return (
        <span style={{ paddingLeft: `${parts.length - 1}rem` }} title={c.getValue()}>
          {parts.at(-1)}
        </span>
      );
    },
  }),
  column.title,
  column.says,
  column.note,
  column.state,
];
/** Settings have a name and what they say. */
const short = [col.accessor("name", { id: "name", header: "Setting" }), column.says, column.state];
const none: Row[] = [];

/** Everything that is decided, list by list, to be seen and changed in the draft. */
export function EstatePage() {
  const url = useListUrl("");
  const { get, set, word } = url;
  const list = lists.find((l) => l.list === get("list")) ?? lists[0];
  const keys = useQuery(keysQuery());
  const document = useQuery(draftDocumentQuery());
  const draft = useQuery(draftQuery());
  const findings = useQuery(findingsQuery());
  const mayEdit = useMay("edit a draft");
  const rows = useMemo(() => {
    if (!list || !document.data || !keys.data) return none;
    const changed = new Map(
      (draft.data?.changes ?? []).filter((c) => c.list === list.list).map((c) => [c.name, c.kind]),
    );
    const of = (document.data as Record<string, unknown>)[list.list];
    if (list.list === "settings")
      return keys.data
        .filter((k) => k.list === "settings")
        .map((k) =>
          rowOf(
            "settings",
            k.name ?? "",
            ((of as Thing | undefined)?.[k.name ?? ""] as Thing) ?? {},
            changed.get(k.name ?? "") ?? "",
          ),
        );
    const by = keys.data.find((k) => k.list === list.list)?.by ?? "name";
    return ((of as Thing[] | undefined) ?? []).map((o) =>
      rowOf(list.list, String(o[by]), o, changed.get(String(o[by])) ?? ""),
    );
  }, [list, document.data, keys.data, draft.data]);
  const shown = useMemo(() => narrow(rows, word, get("state")), [rows, word, get]);
  if (document.isPending || keys.isPending || !list) return <Waiting what="the estate" />;
  if (!document.data)
    return <Failure title="The estate cannot be shown" problem={document.error} />;
  if (!keys.data) return <Failure title="The estate cannot be shown" problem={keys.error} />;
  const keyed = keyedOf(keys.data, list.list, get("open"));
  const opened = rows.find((r) => r.name === get("open"));
  const fresh = get("new") !== "" && mayEdit;
  const like = rows.find((r) => r.name === get("like"));
  const one = keyed?.word ?? "object";
  return (
    <>
      <h1>The estate</h1>
      <div className="mt-2">
        <Sections
          label="Lists of the estate"
          current={get("list") === "addresses" ? "addresses" : list.list}
          of={[
            ...lists.map(
              (l) => [l.list, worded(l, document.data), `/estate?list=${l.list}`] as const,
            ),
            ["addresses", "Addresses", "/estate?list=addresses"],
          ]}
        />
      </div>
      {get("list") === "addresses" ? (
        <Addresses />
      ) : (
        <>
          <p className="mt-2 text-ink-2">
            {list.says}
            {list.own && (
              <>
                {" "}
                How they stand: <Link to={list.own}>{list.word}</Link>.
              </>
            )}
          </p>
          {mayEdit && list.list !== "settings" && (
            <div className="mt-2 flex flex-wrap items-center gap-3">
              <Button kind="main" onClick={() => set("new", "yes")}>
                New {one}…
              </Button>
              <TableInOut list={list.list} one={one} />
            </div>
          )}
          <ListPage
            caption={list.word}
            page={`estate-${list.list.replaceAll("_", "-")}`}
            url={url}
            columns={list.list === "locations" ? tree : list.list === "settings" ? short : flat}
            grid={
              list.list === "locations"
                ? "22rem 16rem 14rem minmax(10rem, 1fr) 8rem"
                : list.list === "settings"
                  ? "12rem minmax(20rem, 1fr) 8rem"
                  : "13rem 14rem 16rem minmax(14rem, 1fr) minmax(8rem, 1fr) 8rem"
            }
            rows={shown}
            total={rows.length}
            rowName={(r) => r.name}
            finds="name, title, address, note…"
            filters={[{ key: "state", label: "In the draft", options: ["added", "changed"] }]}
            onOpen={(r) => set("open", r.name)}
          />
        </>
      )}
      {opened && keyed && (
        <Drawer
          title={opened.title || opened.name}
          name={opened.name}
          description={`${keyed.word.charAt(0).toUpperCase()}${keyed.word.slice(1)} ${opened.name}${opened.state ? `, ${opened.state} in your draft` : ""}`}
          open
          onOpenChange={() => set("open", "")}
        >
          {mayEdit && list.list !== "settings" && (
            <p className="mb-3">
              <Button onClick={() => url.put({ open: "", new: "yes", like: opened.name })}>
                Make another like it…
              </Button>
            </p>
          )}
          <ObjectSheet
            key={`${opened.name} ${JSON.stringify(opened.object)}`}
            list={list.list}
            keyed={keyed}
            name={opened.name}
            object={opened.object}
            state={opened.state}
            findings={about(findings.data ?? [], list.list, opened.name)}
            onDone={() => set("open", "")}
          />
        </Drawer>
      )}
      {fresh && keyed && (
        <Drawer
          title={`New ${one}`}
          description="It is kept in your draft until you publish."
          open
          onOpenChange={() => url.put({ new: "", like: "", from: "" })}
        >
          {list.list === "queues" && !like && (
            <FromDevice url={url} devices={document.data.devices ?? []} />
          )}
          <ObjectSheet
            key={`new ${get("like")} ${get("from")}`}
            list={list.list}
            keyed={keyed}
            name=""
            object={beginning(keyed, like, document.data.devices ?? [], get("from"))}
            state=""
            findings={[]}
            onDone={(name) => url.put({ new: "", like: "", from: "", open: name })}
          />
        </Drawer>
      )}
    </>
  );
}

/** Whence a new queue is filled in: the device to which it leads. */
function FromDevice({
  url,
  devices,
}: {
  url: ReturnType<typeof useListUrl>;
  devices: { name: string; title?: string }[];
}) {
  return (
    <p className="mb-3">
      Straight to the device{" "}
      <Picker
        label="device"
        word={url.get("from") || "which? The rest follows from it"}
        options={devices
          .slice(0, 500)
          .map((d) => ({ value: d.name, label: d.name, detail: d.title }))}
        onPick={(v) => url.set("from", v)}
      />
      . Queues that a server has already: <Link to="/adopt">Adopt</Link>.
    </p>
  );
}

/** A list with how many objects it has. */
function worded(l: (typeof lists)[number], document: object): string {
  const of = (document as Record<string, unknown>)[l.list];
  return Array.isArray(of) ? `${l.word} ${of.length}` : l.word;
}

const about = (all: Finding[], list: ListName, name: string) =>
  all.filter((f) => f.at.list === list && f.at.name === name);

function keyedOf(all: Keyed[], list: ListName, name: string): Keyed | undefined {
  return all.find((k) => k.list === list && (list !== "settings" || k.name === name));
}

/** How a new object begins: like another, or as follows from a device. */
function beginning(keyed: Keyed, like: Row | undefined, devices: Thing[], from: string): Thing {
  if (like) {
    const { [keyed.by]: _, formerly: __, ...rest } = like.object;
    return { ...rest, [keyed.by]: "" };
  }
  const device = from ? devices.find((d) => d.name === from) : undefined;
  return device ? queueFor(device) : { [keyed.by]: "" };
}

/** Every word typed must stand somewhere in the row. */
function narrow(rows: Row[], word: string, state: string): Row[] {
  const words = word.toLowerCase().split(/\s+/).filter(Boolean);
  return rows.filter((r) => {
    const text = [r.name, JSON.stringify(r.object)].join(" ").toLowerCase();
    return words.every((w) => text.includes(w)) && (!state || r.state === state);
  });
}
