import { queryOptions, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, askAll, type DriverHere } from "../../api/client";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { Exact } from "../../ui/Exact";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";

const onQuery = () =>
  queryOptions({
    queryKey: ["drivers", "on"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/drivers/endpoints", { params: { query }, signal })),
  });
const resultsQuery = () =>
  queryOptions({
    queryKey: ["drivers", "print-results"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/drivers/print-results", { params: { query }, signal })),
  });

const marks: Record<DriverHere["state"], string> = {
  used: "yes",
  staged: "behind",
  spare: "idle",
  wanted: "no",
  foreign: "note",
  present: "idle",
};
const shown = 300;

/** Drivers on endpoints, by how far each is there; and what came out with which. */
export function DriversOn() {
  const on = useQuery(onQuery());
  const results = useQuery(resultsQuery());
  const now = useNow();
  const { get, set } = useUrl();
  const [word, setWord] = useUrlText(get("find"), (w) => set("find", w));
  if (on.isPending) return <Waiting what="the drivers on endpoints" />;
  if (!on.data)
    return <Failure title="The drivers on endpoints cannot be shown" problem={on.error} />;
  const rows = on.data.filter((d) =>
    `${d.machine} ${d.exact} ${d.state} ${d.queues.join(" ")}`
      .toLowerCase()
      .includes(word.toLowerCase()),
  );
  return (
    <div className="mt-3 flex flex-col gap-6">
      <section aria-label="Drivers on endpoints">
        <div className="flex flex-wrap items-end gap-4">
          <label className="flex flex-col gap-1">
            Find
            <input
              type="search"
              className={`${inputLook} w-64`}
              placeholder="name, endpoint, state, queue…"
              value={word}
              onChange={(e) => setWord(e.target.value)}
            />
          </label>
          <p role="status" className="pb-1 text-ink-2">
            {rows.length} of {on.data.length}. used: a queue has it; staged: its files are there,
            for a queue that is to have it; spare: no queue is to have it; present: the system has
            it, for none; wanted: it is not there.
          </p>
        </div>
        <Table
          label="Drivers on endpoints"
          heads={["Exact name", "Endpoint", "State", "Queues", "Says"]}
        >
          {rows.slice(0, shown).map((d) => (
            <tr key={`${d.machine}/${d.exact}`} className="border-b border-rule align-top">
              <td className="px-2 py-1">
                <Exact text={d.exact} />
              </td>
              <td className="px-2 py-1">
                <Link to={`/endpoints?endpoint=${encodeURIComponent(d.machine)}`}>{d.machine}</Link>
              </td>
              <td className="px-2 py-1">
                <Mark of={marks[d.state]}>
                  {d.state === "foreign" ? "somebody else’s" : d.state}
                </Mark>
              </td>
              <td className="px-2 py-1">{d.queues.join(", ")}</td>
              <td className="px-2 py-1">
                {[d.says, d.signed, d.version && `version ${d.version}`].filter(Boolean).join("; ")}
              </td>
            </tr>
          ))}
        </Table>
        {rows.length > shown && <p>and {rows.length - shown} more; narrow it.</p>}
      </section>
      <section aria-labelledby="print-results">
        <h2 id="print-results">What came out</h2>
        {!results.data || results.data.length === 0 ? (
          <p className="text-ink-2">
            {results.isPending
              ? "Waiting for what people told…"
              : "Nobody has told yet: an endpoint’s checkup prints with another driver, asks what came out, and it is remembered of the model."}
          </p>
        ) : (
          <Table
            label="What came out"
            heads={["Model", "With", "Came out", "Queue", "From", "Told"]}
          >
            {results.data.map((s, i) => (
              <tr key={i} className="border-b border-rule align-top">
                <td className="px-2 py-1">{s.model}</td>
                <td className="px-2 py-1">
                  <Exact text={s.driver} />
                </td>
                <td className="px-2 py-1">
                  <Mark of={s.result === "good" ? "yes" : "no"}>{s.result}</Mark>
                </td>
                <td className="px-2 py-1">{s.queue}</td>
                <td className="px-2 py-1">{s.machine}</td>
                <td className="px-2 py-1">
                  {ago(s.at, now)} by {s.by}
                  {s.note && `: ${s.note}`}
                </td>
              </tr>
            ))}
          </Table>
        )}
      </section>
    </div>
  );
}
