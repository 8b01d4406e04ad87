import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, askAll } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago, stamp } from "../../lib/time";
import { useMay } from "../../parts/useMay";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field, inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Table } from "../../ui/Table";

const snapshotsQuery = () =>
  queryOptions({
    queryKey: ["snapshots"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/snapshots", { params: { query }, signal })),
  });
const comparedQuery = (name: string, other: string, word: string) =>
  queryOptions({
    queryKey: ["snapshots", name, other, word],
    queryFn: async ({ signal }) =>
      await ask(
        api.GET("/api/v1/snapshots/{name}/compare", {
          params: {
            path: { name },
            query: { ...(other && { with: other }), ...(word && { word }) },
          },
          signal,
        }),
      ),
    enabled: Boolean(name),
  });

/** How everything stood at a moment, and what differs since. */
export function Snapshots() {
  const client = useQueryClient();
  const now = useNow();
  const { get, put } = useUrl();
  const may = useMay("have an endpoint report");
  const list = useQuery(snapshotsQuery());
  const fresh = () => client.invalidateQueries({ queryKey: ["snapshots"] });
  const take = useForm({
    start: { name: "", note: "" },
    send: ({ name, note }) =>
      ask(
        api.POST("/api/v1/snapshots", {
          body: { name: name.trim(), ...(note.trim() && { note: note.trim() }) },
        }),
      ),
    ofProblems: { snapshot: "name" },
    onDone: async (p) => {
      await fresh();
      put({ snapshot: p.name });
    },
  });
  const remove = useMutation({
    mutationFn: (n: string) =>
      ask(api.DELETE("/api/v1/snapshots/{name}", { params: { path: { name: n } } })),
    onSuccess: async () => {
      put({ snapshot: "", with: "" });
      await fresh();
    },
  });
  if (list.isPending) return <Waiting what="the snapshots" />;
  if (!list.data) return <Failure title="The snapshots cannot be shown" problem={list.error} />;
  const chosen = list.data.find((p) => p.name === get("snapshot"));
  return (
    <div className="mt-3 grid gap-x-10 gap-y-6 lg:grid-cols-[22rem_1fr]">
      <section aria-label="Snapshots" className="flex flex-col gap-3">
        {may && (
          <Form
            label="Take a snapshot"
            failed="None was taken"
            form={take}
            className="gap-2"
            foot={
              <p className="flex flex-wrap items-center gap-3">
                <Button kind="main" type="submit" disabled={!take.value.name.trim() || take.busy}>
                  Keep how all stands now
                </Button>
                {!take.value.name.trim() && <span className="text-ink-2">It lacks a name.</span>}
              </p>
            }
          >
            <Field label="Name" {...take.text("name")} placeholder="such as before-the-update" />
            <Field label="Note" {...take.text("note")} placeholder="in a few words" />
          </Form>
        )}
        {list.data.length === 0 && (
          <Empty title="No snapshot yet">
            Take one before a change: later it says what differs on servers, devices and endpoints.
          </Empty>
        )}
        <ul>
          {list.data.map((p) => (
            <li
              key={p.name}
              className={`border-b border-rule px-2 py-1.5 ${p.name === chosen?.name ? "bg-accent-wash" : ""}`}
            >
              <button
                type="button"
                className="min-h-[24px] text-left font-medium text-accent"
                aria-pressed={p.name === chosen?.name}
                onClick={() => put({ snapshot: p.name, with: "" })}
              >
                {p.name}
              </button>
              <p className="text-ink-2">
                {count(p.count, "object")},{" "}
                <time dateTime={p.at} title={stamp(p.at)}>
                  {ago(p.at, now)}
                </time>{" "}
                by {p.author}
                {p.note && `: ${p.note}`}
              </p>
            </li>
          ))}
        </ul>
        {remove.error && <ProblemNotice title="It stays" error={remove.error} />}
      </section>
      {chosen && (
        <Otherwise
          name={chosen.name}
          others={list.data.map((p) => p.name).filter((n) => n !== chosen.name)}
          onRemove={may ? () => remove.mutate(chosen.name) : undefined}
        />
      )}
    </div>
  );
}

type OtherwiseProps = { name: string; others: string[]; onRemove: (() => void) | undefined };

function Otherwise({ name, others, onRemove }: OtherwiseProps) {
  const { get, put } = useUrl();
  const other = get("with");
  const [word, setWord] = useUrlText(get("only"), (w) => put({ only: w }));
  const compared = useQuery(comparedQuery(name, other, get("only")));
  const c = compared.data;
  return (
    <section aria-label={`Otherwise than on ${name}`} className="flex flex-col gap-2">
      <h2>What differs from {name}</h2>
      <div className="flex flex-wrap items-end gap-4">
        <Select
          label="Compared with"
          value={other}
          all="how it stands now"
          options={others}
          onChange={(v) => put({ with: v })}
        />
        <label className="flex flex-col gap-1">
          Only
          <input
            type="search"
            className={`${inputLook} w-56`}
            placeholder="server, device, a name…"
            value={word}
            onChange={(e) => setWord(e.target.value)}
          />
        </label>
        {onRemove && <Button onClick={onRemove}>Forget this snapshot</Button>}
      </div>
      {compared.isPending && <Waiting what="the comparison" />}
      {compared.error && <ProblemNotice title="It cannot be compared" error={compared.error} />}
      {c && (
        <p role="status">
          {c.total === 0 ? (
            <Mark of="yes">Nothing differs.</Mark>
          ) : (
            `${count(c.total, "difference")}.`
          )}
        </p>
      )}
      {c && c.total > 0 && (
        <Table label="Differences" heads={["What", "Name", "Fact", "Before", "After"]}>
          {c.differences.map((d, i) => (
            <tr key={i} className="border-b border-rule align-top">
              <td className="px-2 py-1 text-ink-2">{d.kind}</td>
              <td className="px-2 py-1">{d.name}</td>
              <td className="px-2 py-1">
                {d.what === "new" ? (
                  <Mark of="plus">is new</Mark>
                ) : d.what === "gone" ? (
                  <Mark of="minus">is gone</Mark>
                ) : (
                  d.fact
                )}
              </td>
              <td className="px-2 py-1 font-mono text-[0.93em] break-all">{d.before}</td>
              <td className="px-2 py-1 font-mono text-[0.93em] break-all">{d.after}</td>
            </tr>
          ))}
        </Table>
      )}
      {c && c.total > c.differences.length && (
        <p>and {c.total - c.differences.length} more; narrow it.</p>
      )}
    </section>
  );
}
