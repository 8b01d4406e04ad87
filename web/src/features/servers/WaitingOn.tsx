import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useMay } from "../../parts/useMay";
import { api, ask } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { Mark } from "../../ui/Mark";
import { Table } from "../../ui/Table";
import { JobActions } from "./JobActions";

const jobsQuery = (name: string) =>
  queryOptions({
    queryKey: ["stock", "jobs", name],
    queryFn: async ({ signal }) =>
      await ask(
        api.GET("/api/v1/stock/servers/{name}/jobs", { params: { path: { name } }, signal }),
      ),
  });

/** What waits on a server, whose it is, and what becomes of it. Asked for when it is opened. */
export function WaitingOn({ server, queues }: { server: string; queues: string[] }) {
  const [open, setOpen] = useState(false);
  const now = useNow();
  const jobs = useQuery({ ...jobsQuery(server), enabled: open });
  const may = useMay("hold, release, move and cancel jobs");
  const j = jobs.data;
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        What waits on it, and what becomes of it
      </summary>
      {open && jobs.isPending && (
        <p role="status" className="text-ink-3">
          Reading its lists of jobs…
        </p>
      )}
      {jobs.error && <ProblemNotice title="It cannot be told" error={jobs.error} />}
      {j && (
        <p role="status">
          <Mark of={j.now ? "yes" : "silent"}>
            {j.says.charAt(0).toUpperCase() + j.says.slice(1)}.
          </Mark>
        </p>
      )}
      {j && j.jobs.length > 0 && (
        <Table
          label="Waiting jobs"
          heads={[
            "Queue",
            "Job",
            "Whose",
            "State",
            "Since",
            "What becomes of it",
            ...(may ? [""] : []),
          ]}
        >
          {j.jobs.map((x) => (
            <tr key={`${x.queue}/${x.id}`} className="border-b border-rule align-top">
              <td className="px-2 py-1">{x.queue}</td>
              <td className="px-2 py-1">{x.name || x.id}</td>
              <td className="px-2 py-1">
                {x.person ? (
                  <Link to={`/people/${encodeURIComponent(x.person)}`}>{x.person}</Link>
                ) : (
                  `${x.owner}, whom nobody here knows`
                )}
                {x.from && `, from ${x.from}`}
              </td>
              <td className="px-2 py-1">{x.state}</td>
              <td className="px-2 py-1 whitespace-nowrap">{x.at ? ago(x.at, now) : ""}</td>
              <td className="px-2 py-1">{x.becomes}</td>
              {may && (
                <td className="px-2 py-1">
                  <JobActions server={server} of={x} queues={queues} />
                </td>
              )}
            </tr>
          ))}
        </Table>
      )}
      {j && j.total > j.jobs.length && (
        <p>and {j.total - j.jobs.length} more, which the server counts and does not list.</p>
      )}
    </details>
  );
}
