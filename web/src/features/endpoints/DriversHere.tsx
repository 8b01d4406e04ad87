import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, askAll, type DriverHere } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Copy } from "../../ui/Copy";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";

const driversQuery = (machine: string) =>
  queryOptions({
    queryKey: ["endpoints", "drivers", machine],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/drivers/endpoints", { params: { query: { ...query, machine } }, signal }),
      ),
  });

const marks: Record<DriverHere["state"], string> = {
  used: "yes",
  staged: "behind",
  spare: "idle",
  wanted: "no",
  foreign: "note",
  present: "idle",
};
const says: Record<DriverHere["state"], string> = {
  used: "used",
  staged: "its files are there; no queue has it yet",
  spare: "its files are there, and no queue is to have it",
  wanted: "wanted, and not there",
  foreign: "of a queue that somebody else set up",
  present: "the system has it, and no queue does",
};

/** The drivers of an endpoint, with the set-up file and the files that each consists of. Asked for when it is opened. */
export function DriversHere({ machine }: { machine: string }) {
  const [open, setOpen] = useState(false);
  const list = useQuery({ ...driversQuery(machine), enabled: open });
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        Its drivers, and the files they consist of
      </summary>
      {open && list.isPending && (
        <p role="status" className="text-ink-3">
          Looking them up…
        </p>
      )}
      {list.error && <ProblemNotice title="They cannot be told" error={list.error} />}
      {list.data?.length === 0 && <p className="text-ink-2">None: its queues do without.</p>}
      <ul>
        {list.data?.map((d) => (
          <li key={d.exact} className="border-b border-rule py-1.5">
            <Mark of={marks[d.state]}>
              <Exact text={d.exact} /> <Copy text={d.exact} what={`the name ${d.exact}`} />{" "}
              <span className="text-ink-2">
                {says[d.state]}
                {d.queues.length > 0 && `: ${d.queues.join(", ")}`}
                {[d.version && `version ${d.version}`, d.signed, d.says]
                  .filter(Boolean)
                  .map((t) => `; ${t}`)}
              </span>
            </Mark>
            {d.files && d.files.length > 0 && (
              <p className="pl-5 text-ink-2">
                Described by <span className="font-mono text-[0.93em]">{d.set_up_file}</span> of the
                package <span className="font-mono text-[0.93em]">{d.package?.slice(0, 12)}</span>;
                needs{" "}
                <span className="font-mono text-[0.93em] break-all">{d.files.join(", ")}</span>
              </p>
            )}
          </li>
        ))}
      </ul>
    </details>
  );
}
