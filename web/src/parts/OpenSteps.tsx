import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, askAll } from "../api/client";
import { count } from "../lib/words";
import { ProblemNotice } from "./ProblemNotice";
import { Steps } from "./Steps";

/** The steps of a queue, or of the whole set-up where none is named. */
const stepsQuery = (queue?: string) =>
  queryOptions({
    queryKey: ["endpoints", "checklist", queue ?? ""],
    queryFn: ({ signal }) =>
      askAll((query) =>
        queue
          ? api.GET("/api/v1/queues/{name}/checklist", {
              params: { path: { name: queue }, query },
              signal,
            })
          : api.GET("/api/v1/checklist", { params: { query }, signal }),
      ),
  });

/** What is done and what is to do, of a queue or of the set-up; asked for when it is opened. */
export function OpenSteps({ queue }: { queue?: string }) {
  const [open, setOpen] = useState(false);
  const list = useQuery({ ...stepsQuery(queue), enabled: open });
  const left = list.data?.filter((c) => c.result !== "yes").length;
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        What is done, and what is to do
      </summary>
      {open && list.isPending && (
        <p role="status" className="text-ink-3">
          Looking how far it is…
        </p>
      )}
      {list.error && <ProblemNotice title="It cannot be told" error={list.error} />}
      {list.data && (
        <>
          <p className="mb-1 text-ink-2">{count(left ?? 0, "open step")}.</p>
          <Steps label={queue ? `Steps of ${queue}` : "Steps of the set-up"} list={list.data} />
        </>
      )}
    </details>
  );
}
