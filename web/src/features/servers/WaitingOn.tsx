import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { useMay } from "../../parts/useMay";
import { api, ask } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
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
        <ul aria-label="Waiting jobs">
          {j.jobs.map((x) => (
            <li key={`${x.queue}/${x.id}`} className="border-b border-rule py-1">
              <p className="flex flex-wrap items-baseline gap-x-3">
                <Exact text={x.queue} />
                <strong className="font-medium">{x.name || `job ${x.id}`}</strong>
                <span className="font-mono text-[0.93em]">{x.state}</span>
                {x.at && <span className="ml-auto text-ink-2">{ago(x.at, now)}</span>}
              </p>
              <p>
                {x.person ? (
                  <Link to={`/people/${encodeURIComponent(x.person)}`}>{x.person}</Link>
                ) : (
                  `${x.owner}, whom nobody here knows`
                )}
                {x.from && `, from ${x.from}`}; {x.becomes}
              </p>
              {may && <JobActions server={server} of={x} queues={queues} />}
            </li>
          ))}
        </ul>
      )}
      {j && j.total > j.jobs.length && (
        <p>and {j.total - j.jobs.length} more, which the server counts and does not list.</p>
      )}
    </details>
  );
}
