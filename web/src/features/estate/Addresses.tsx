import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { createColumnHelper } from "@tanstack/react-table";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, askAll } from "../../api/client";
import type { components } from "../../api/schema";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ListPage, useListUrl } from "../../parts/ListPage";
import { Button } from "../../ui/Button";
import { features } from "../../ui/DataTable";
import { Field } from "../../ui/Field";
import { Failure, Waiting } from "../../ui/Notice";

type Span = components["schemas"]["LineupSpan"];

const col = createColumnHelper<typeof features, Span>();
const columns = col.columns([
  col.accessor("written", { id: "name", header: "Addresses" }),
  col.accessor((s) => [s.kind, s.name].filter(Boolean).join(" "), { id: "kind", header: "Is" }),
  col.accessor((s) => s.location ?? "", { id: "location", header: "Location" }),
  col.accessor((s) => s.within ?? "", { id: "within", header: "Lies within" }),
  col.accessor((s) => s.grants.join(", "), { id: "grants", header: "Named by grants" }),
]);

/** All addresses that the draft names, and what is known of one. */
export function Addresses() {
  const url = useListUrl("");
  const { get, set, word } = url;
  const spans = useQuery({
    queryKey: ["draft", "addresses"],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/addresses", {
          params: { query: { ...query, revision: "draft" } },
          signal,
        }),
      ),
  });
  if (spans.isPending) return <Waiting what="the addresses" />;
  if (!spans.data) return <Failure title="They cannot be shown" problem={spans.error} />;
  const kind = get("kind");
  const words = word.toLowerCase().split(/\s+/).filter(Boolean);
  const rows = spans.data.filter((s) => {
    const text = JSON.stringify(s).toLowerCase();
    return (!kind || s.kind === kind) && words.every((w) => text.includes(w));
  });
  return (
    <>
      <p className="mt-2 text-ink-2">
        Every subnet, station and range that the draft names, and what lies within what.
      </p>
      <Tester />
      <ListPage
        caption="Addresses"
        page="addresses"
        url={url}
        columns={columns}
        grid="16rem 14rem 18rem 12rem minmax(12rem, 1fr)"
        rows={rows}
        total={spans.data.length}
        rowName={(s) => `${s.written} ${s.kind} ${s.name ?? ""}`}
        finds="address, place, grant…"
        filters={[{ key: "kind", label: "Is", options: ["subnet", "station", "condition"] }]}
        onOpen={(s) => set("address", s.from)}
      />
    </>
  );
}

/** Where one address is, and which grants' places hold there. */
function Tester() {
  const { get, set } = useListUrl("");
  const [text, setText] = useState(get("address"));
  const [seen, setSeen] = useState(get("address"));
  if (seen !== get("address")) {
    setSeen(get("address"));
    setText(get("address"));
  }
  const told = useQuery({
    queryKey: ["draft", "addresses", get("address")],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/addresses/{address}", {
          params: { path: { address: get("address") }, query: { revision: "draft" } },
          signal,
        }),
      ),
    enabled: get("address") !== "",
    placeholderData: keepPreviousData,
    retry: false,
  });
  const t = get("address") ? told.data : undefined;
  return (
    <form
      aria-label="Where is an address?"
      className="mt-3 border-l-2 border-accent px-3"
      onSubmit={(e) => {
        e.preventDefault();
        set("address", text.trim());
      }}
    >
      <div className="flex items-end gap-2">
        <Field
          label="Where is an address?"
          placeholder="such as 10.40.8.77"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <Button type="submit">Look</Button>
      </div>
      {told.error && <ProblemNotice title="It cannot be looked up" error={told.error} />}
      {t && !told.error && (
        <div role="status" className="mt-2">
          <p>
            {t.location ? (
              <>
                {t.address} is at{" "}
                <Link to={`/estate?list=locations&open=${encodeURIComponent(t.location)}`}>
                  {t.location}
                </Link>{" "}
                ({t.from}).
              </>
            ) : (
              `Where ${t.address} is, is not known: no subnet holds it, and no station has it.`
            )}
            {t.machine && ` It is the station ${t.machine}.`}
          </p>
          {t.spans.some((s) => s.kind !== "station") && (
            <p className="text-ink-2">
              It lies in{" "}
              {t.spans
                .filter((s) => s.kind !== "station")
                .map((s) => s.written)
                .join(", in it ")}
              .
            </p>
          )}
          <p className="text-ink-2">
            Grants whose places hold there: {t.grants.length === 0 ? "none" : null}
            {t.grants.map((g, i) => (
              <span key={g}>
                {i > 0 && ", "}
                <Link to={`/grants?grant=${encodeURIComponent(g)}`}>{g}</Link>
              </span>
            ))}
            .
          </p>
        </div>
      )}
    </form>
  );
}
