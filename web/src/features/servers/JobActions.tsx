import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type WaitingJob } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { Picker } from "../../ui/Picker";

type Act = { do: "hold" | "release" | "cancel" | "move"; to?: string };
type JobActionsProps = { server: string; of: WaitingJob; queues: string[] };

/** What can be done with a job that waits on a server; its owner is told. */
export function JobActions({ server, of: job, queues }: JobActionsProps) {
  const client = useQueryClient();
  const act = useMutation({
    mutationFn: (a: Act) =>
      ask(
        api.POST("/api/v1/stock/servers/{name}/jobs", {
          params: { path: { name: server } },
          body: { queue: job.queue, job: job.id, ...a },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["stock"] }),
  });
  const held = job.state === "pending-held";
  const others = queues.filter((q) => q !== job.queue);
  const name = `job ${job.id} in ${job.queue}`;
  return (
    <div className="flex flex-wrap items-center gap-1">
      <Button
        aria-label={`${held ? "Release" : "Hold"} ${name}`}
        disabled={act.isPending}
        onClick={() => act.mutate({ do: held ? "release" : "hold" })}
      >
        {held ? "Release" : "Hold"}
      </Button>
      <Button
        aria-label={`Cancel ${name}`}
        disabled={act.isPending}
        onClick={() => act.mutate({ do: "cancel" })}
      >
        Cancel
      </Button>
      {others.length > 0 && (
        <Picker
          label={`queue to which ${name} is moved`}
          word="Move to…"
          options={others.map((q) => ({ value: q, label: q }))}
          onPick={(to) => act.mutate({ do: "move", to })}
        />
      )}
      {act.data && (
        <p role="status" className="w-full">
          Done: {act.data.says}
          {act.data.told && `; ${act.data.told}`}.
        </p>
      )}
      {act.error && <ProblemNotice title="The job is as it was" error={act.error} />}
    </div>
  );
}
