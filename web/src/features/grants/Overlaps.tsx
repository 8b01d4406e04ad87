import { useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { api, askAll } from "../../api/client";
import type { components } from "../../api/schema";
import { findQuery } from "../../api/drafts";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { features } from "../../ui/DataTable";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { Picker } from "../../ui/Picker";
import { useState } from "react";
import { count } from "../../lib/words";

type Overlap = components["schemas"]["LineupOverlap"];

const marks = { placed: "placed", offered: "offered", withheld: "no" } as const;
const col = createColumnHelper<typeof features, Overlap>();
const columns = col.columns([
  col.accessor("a", { id: "name", header: "Grant" }),
  col.accessor("b", { id: "b", header: "And" }),
  col.accessor((v) => together(v), {
    id: "together",
    header: "Together",
    cell: (c) => <Mark of={marks[c.row.original.outcome]}>{c.getValue()}</Mark>,
  }),
  col.accessor((v) => people(v), { id: "people", header: "For" }),
  col.accessor((v) => v.queues.join(", "), { id: "queues", header: "Queues of both" }),
]);

/** What two grants come to where both hold. */
function together(v: Overlap): string {
  const parts = [v.decides ? `${v.outcome} by ${v.decides}` : v.outcome];
  if (v.default) parts.push(`default by ${v.default}`);
  if (v.default_tie) parts.push("their defaults tie");
  return parts.join("; ");
}

function people(v: Overlap): string {
  if (v.everyone) return "everybody";
  const more = v.people > v.names.length;
  return `${more ? `${count(v.people, "person")}: ` : ""}${v.names.join(", ")}${more ? ", …" : ""}`;
}

/** Grants of the draft that speak of the same queues and can hold for somebody at once. */
export function Overlaps() {
  const url = useListUrl();
  const { get, set, word } = url;
  const [user, location] = [get("user"), get("location")];
  const all = useQuery({
    queryKey: ["draft", "overlaps", user, location],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/overlaps", {
          params: {
            query: {
              ...query,
              revision: "draft",
              ...(user && { user }),
              ...(location && { location }),
            },
          },
          signal,
        }),
      ),
  });
  const words = word.toLowerCase().split(/\s+/).filter(Boolean);
  const rows = (all.data ?? []).filter((v) => {
    const text = JSON.stringify(v).toLowerCase();
    return words.every((w) => text.includes(w));
  });
  return (
    <>
      <p className="mt-2 max-w-[60rem] text-ink-2">
        Grants that speak of the same queues and can hold for one person at once, and what they come
        to together. Hours, and machines named by group or unit, are taken to be possible.
      </p>
      <p className="mt-2 text-[1.15rem] leading-[2.1]" data-sentence>
        Overlaps for{" "}
        <Chosen kind="user" value={user} none="anybody" onPick={(v) => set("user", v)} /> at{" "}
        <Chosen
          kind="location"
          value={location}
          none="any place"
          onPick={(v) => set("location", v)}
        />
        .
      </p>
      {all.isPending && <Waiting what="the overlaps" />}
      {all.error && <Failure title="They cannot be shown" problem={all.error} />}
      {all.data && all.data.length === 0 && (
        <p className="mt-2">No two grants speak of the same queue here.</p>
      )}
      {all.data && all.data.length > 0 && (
        <ListPage
          caption="Overlaps"
          page="overlaps"
          url={url}
          columns={columns}
          grid="12rem 12rem 18rem minmax(14rem, 1fr) minmax(12rem, 1fr)"
          rows={rows}
          total={all.data.length}
          rowName={(v) => `${v.a} and ${v.b}`}
          finds="grant, queue, person…"
          onOpen={(v) => set("grant", v.a)}
        />
      )}
    </>
  );
}

type ChosenProps = {
  kind: "user" | "location";
  value: string;
  none: string;
  onPick: (value: string) => void;
};

/** One person or place, found among very many, or none. */
function Chosen({ kind, value, none, onPick }: ChosenProps) {
  const [word, setWord] = useState("");
  const found = useQuery(findQuery([kind], word));
  return (
    <Picker
      label={kind === "user" ? "person" : "place"}
      word={value || none}
      options={[
        ...(value ? [{ value: "", label: none }] : []),
        ...(found.data?.items ?? []).map((f) => ({
          value: f.name,
          label: f.says ? `${f.name} (${f.says})` : f.name,
          detail: f.detail,
        })),
      ]}
      onSearch={setWord}
      more={Math.max(0, (found.data?.total ?? 0) - (found.data?.items.length ?? 0))}
      onPick={onPick}
    />
  );
}
