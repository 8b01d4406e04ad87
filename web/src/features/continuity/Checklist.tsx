import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, askAll } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Mark } from "../../ui/Mark";

const outageQuery = (server: string) =>
  queryOptions({
    queryKey: ["duties", "outage", server],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/servers/{name}/outage", {
          params: { path: { name: server }, query },
          signal,
        }),
      ),
    refetchInterval: 5000,
  });

const marks = { yes: "yes", no: "offered", unproven: "idle" } as const;
const words = { yes: "done", no: "to do", unproven: "not proven" } as const;

type ChecklistProps = { server: string; steps?: number | undefined };

/** The steps of a server's planned outage, which tick themselves; of one that is still to begin only the first. */
export function Checklist({ server, steps }: ChecklistProps) {
  const list = useQuery(outageQuery(server));
  if (list.error) return <ProblemNotice title="The checklist cannot be told" error={list.error} />;
  if (!list.data)
    return (
      <p role="status" className="text-ink-3">
        Looking how far it is…
      </p>
    );
  return (
    <ol
      aria-label={`Checklist of an outage of ${server}`}
      className="border-l-2 border-rule-strong"
    >
      {list.data.slice(0, steps).map((r) => (
        <li key={r.check} className="px-3 py-1">
          <Mark of={marks[r.result]}>
            <strong className="font-medium">{r.check}</strong>{" "}
            <span className="text-ink-2">{words[r.result]}:</span> {r.says}.
          </Mark>
          {r.fix && (
            <p className="pl-5 text-ink-2">
              {r.fix.startsWith("cirque ") ? (
                <code className="font-mono text-[0.93em]">{r.fix}</code>
              ) : (
                `${r.fix.charAt(0).toUpperCase() + r.fix.slice(1)}.`
              )}
            </p>
          )}
        </li>
      ))}
    </ol>
  );
}
