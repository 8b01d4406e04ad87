import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useMemo, useState } from "react";
import type { Finding, Grant } from "../../api/client";
import {
  draftChanged,
  draftDocumentQuery,
  draftQuery,
  findingsQuery,
  sendEdits,
} from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { among } from "../../lib/among";
import { count } from "../../lib/words";
import { useMay } from "../../parts/useMay";
import { Button } from "../../ui/Button";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { features } from "../../ui/DataTable";
import { Drawer } from "../../ui/Drawer";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Picker } from "../../ui/Picker";
import { Sections } from "../../ui/Sections";
import { Entries } from "../../parts/Entries";
import { GrantSheet } from "./GrantSheet";
import { Overlaps } from "./Overlaps";
import { effects, narrow, tidy, whom, type Row } from "./model";

const col = createColumnHelper<typeof features, Row>();
const columns = col.columns([
  col.accessor("name", { id: "name", header: "Grant" }),
  col.accessor("effect", {
    id: "effect",
    header: "Effect",
    cell: (c) => (
      <Mark of={{ place: "placed", offer: "offered", withhold: "no" }[c.getValue()]}>
        {c.getValue()}
      </Mark>
    ),
  }),
  col.accessor((g) => g.queues.join(", "), { id: "queues", header: "Queues" }),
  col.accessor((g) => whom(g), { id: "whom", header: "For" }),
  col.accessor((g) => g.default ?? 0, {
    id: "default",
    header: "Default",
    cell: (c) => c.getValue() || "",
  }),
  col.accessor((g) => g.findings.length, {
    id: "findings",
    header: "Findings",
    cell: (c) =>
      c.getValue() > 0 ? (
        <Mark
          of={c.row.original.findings.some((f) => f.severity === "warning") ? "warning" : "note"}
        >
          {c.getValue()}
        </Mark>
      ) : (
        ""
      ),
  }),
  col.accessor("state", {
    id: "state",
    header: "In the draft",
    cell: (c) => c.getValue() && <Mark of="behind">{c.getValue()}</Mark>,
  }),
]);
const grid = "13rem 7rem minmax(12rem, 1fr) minmax(18rem, 2fr) 5rem 6rem 8rem";
const sections = [
  ["", "All grants", "/grants"],
  ["overlaps", "Overlaps", "/grants?show=overlaps"],
] as const;
const blank: Grant = { name: "", effect: "place", queues: [] };

/** All grants, as the draft has them. */
export function GrantsPage() {
  const document = useQuery(draftDocumentQuery());
  const draft = useQuery(draftQuery());
  const findings = useQuery(findingsQuery());
  const url = useListUrl();
  const { get, set, word } = url;
  const mayEdit = useMay("edit a draft");
  const all = useMemo<Row[]>(() => {
    const states = new Map(
      (draft.data?.changes ?? []).filter((c) => c.list === "grants").map((c) => [c.name, c.kind]),
    );
    const remarks = new Map<string, Finding[]>();
    for (const f of findings.data ?? [])
      if (f.at.list === "grants") remarks.set(f.at.name, [...(remarks.get(f.at.name) ?? []), f]);
    return (document.data?.grants ?? []).map((g) => ({
      ...g,
      state: states.get(g.name) ?? "",
      findings: remarks.get(g.name) ?? [],
    }));
  }, [document.data, draft.data, findings.data]);
  const [effect, flag] = [get("effect"), get("flag")];
  const rows = useMemo(() => narrow(all, { word, effect, flag }), [all, word, effect, flag]);
  if (document.isPending) return <Waiting what="the grants" />;
  if (!document.data)
    return (
      <Failure
        title="The grants cannot be shown"
        problem={document.error ?? { message: "The service does not answer" }}
      />
    );
  const opened = all.find((g) => g.name === get("grant"));
  const fresh = get("grant") === "+";
  const close = () => set("grant", "");
  return (
    <>
      <div className="flex items-baseline gap-4">
        <h1>Grants</h1>
        <Sections label="Parts of this page" current={get("show")} of={sections} />
        {mayEdit && <Button onClick={() => set("grant", "+")}>Write a grant</Button>}
      </div>
      {get("show") === "overlaps" ? (
        <Overlaps />
      ) : all.length === 0 ? (
        <div className="mt-3">
          <Empty title="There is no grant yet">
            A grant says which queues go to whom, where, on what and when. Write one; it is kept in
            your draft until you publish.
          </Empty>
        </div>
      ) : (
        <ListPage
          caption="Grants"
          page="grants"
          url={url}
          columns={columns}
          grid={grid}
          rows={rows}
          total={all.length}
          rowName={(g) => g.name}
          finds="name, queue, person, group…"
          filters={[
            { key: "effect", label: "Effect", options: effects },
            {
              key: "flag",
              label: "Only",
              options: [
                { value: "changed", label: "changed in the draft" },
                { value: "findings", label: "with findings" },
              ],
            },
          ]}
          onOpen={(g) => set("grant", g.name)}
          together={
            mayEdit
              ? (names, done) => (
                  <Together grants={all.filter((g) => names.has(g.name))} onDone={done} />
                )
              : undefined
          }
        />
      )}
      {(opened || fresh) && (
        <Drawer
          title={fresh ? "A new grant" : opened?.title || opened?.name || ""}
          name={fresh ? undefined : opened?.name}
          description={
            fresh
              ? "Kept in your draft until you publish it."
              : `Grant ${opened?.name}${opened?.state ? `, ${opened.state} in the draft` : ""}`
          }
          open
          onOpenChange={close}
        >
          <GrantSheet
            key={get("grant")}
            grant={opened ? plain(opened) : blank}
            fresh={fresh}
            names={new Set(all.map((g) => g.name))}
            findings={opened?.findings ?? []}
            onDone={close}
          />
        </Drawer>
      )}
    </>
  );
}

/** The grant without what the table added. */
function plain({ state: _, findings: __, ...g }: Row): Grant {
  return g;
}

const whats = ["effect", "to", "at", "except", "default", "anybody", "anywhere", "remove"] as const;
type What = (typeof whats)[number];

/** Changes many grants at once, in the draft. */
function Together({ grants, onDone }: { grants: Row[]; onDone: () => void }) {
  const client = useQueryClient();
  const [what, setWhat] = useState<What>("effect");
  const [values, setValues] = useState<string[]>([]);
  const send = useMutation({
    mutationFn: () =>
      sendEdits(
        grants.map((row) => {
          const g = plain(row);
          if (what === "remove") return { list: "grants", name: g.name, remove: true } as const;
          const add = (old: string[] | undefined) => [...new Set([...(old ?? []), ...values])];
          const next: Grant =
            what === "effect"
              ? {
                  ...g,
                  effect: effects.find((e) => e.value === values[0])?.value ?? g.effect,
                  ...(values[0] === "withhold" && { default: 0, nearest: 0 }),
                }
              : what === "default"
                ? { ...g, default: Number(values[0]) }
                : what === "anybody"
                  ? { ...g, to: [] }
                  : what === "anywhere"
                    ? { ...g, at: [] }
                    : { ...g, [what]: what === "except" ? add(g.except) : values };
          return { list: "grants", name: g.name, object: tidy(next) } as const;
        }),
      ),
    onSuccess: async () => {
      await draftChanged(client);
      onDone();
    },
  });
  const pick = (w: What) => {
    setWhat(w);
    setValues([]);
  };
  const ready = what === "remove" || what === "anybody" || what === "anywhere" || values.length > 0;
  return (
    <section
      aria-label="Change together"
      className="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2 border border-rule bg-wash px-3 py-2"
    >
      <label className="flex items-center gap-2">
        Of {count(grants.length, "grant")}
        <select
          className={inputLook}
          value={what}
          onChange={(e) => pick(among(whats, e.target.value) ?? what)}
        >
          <option value="effect">set the effect</option>
          <option value="to">set the people</option>
          <option value="at">set the places</option>
          <option value="except">add exceptions</option>
          <option value="default">set the weight as default</option>
          <option value="anybody">clear the people: whoever is there</option>
          <option value="anywhere">clear the places: everywhere</option>
          <option value="remove">take them out</option>
        </select>
      </label>
      {what === "effect" && (
        <Picker
          label="effect"
          word={values[0] ?? "choose"}
          options={[...effects]}
          onPick={(v) => setValues([v])}
        />
      )}
      {what === "default" && (
        <Picker
          label="weight"
          word={values[0] ?? "choose"}
          options={["0", "1", "10", "50", "100"].map((v) => ({ value: v, label: v }))}
          free={(t) => (/^([1-9]\d{0,2}|1000)$/.test(t) ? t : null)}
          onPick={(v) => setValues([v])}
        />
      )}
      {what === "to" && (
        <span>
          <Entries
            label="person, group or unit"
            kinds={["user", "group", "unit"]}
            entry={(f) => `${f.kind}:${f.name}`}
            fixed={[{ value: "everyone", label: "everyone" }]}
            values={values}
            none="whoever is there, also nobody"
            onChange={(v) => setValues(v)}
          />
        </span>
      )}
      {what === "at" && (
        <span>
          <Entries
            label="location"
            kinds={["location"]}
            entry={(f) => `location:${f.name}`}
            values={values}
            none="any place"
            onChange={(v) => setValues(v)}
          />
        </span>
      )}
      {what === "except" && (
        <span>
          <Entries
            label="exception"
            kinds={["user", "group", "unit", "machine", "location"]}
            entry={(f) => `${f.kind}:${f.name}`}
            values={values}
            none="choose"
            onChange={(v) => setValues(v)}
          />
        </span>
      )}
      <Button disabled={!ready || send.isPending} onClick={() => send.mutate()}>
        Keep in the draft
      </Button>
      {send.error && <ProblemNotice title="None of them was changed" error={send.error} />}
    </section>
  );
}
