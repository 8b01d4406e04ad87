import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, askAll } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Steps } from "../../parts/Steps";

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
  return <Steps label={`Checklist of an outage of ${server}`} list={list.data.slice(0, steps)} />;
}
