import { queryOptions, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useMay } from "../../parts/useMay";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";
import { Select } from "../../ui/Select";
import { CameOut } from "./CameOut";

const checkupQuery = (id: number) =>
  queryOptions({
    queryKey: ["endpoints", "checkup", id],
    queryFn: async ({ signal }) =>
      await ask(api.GET("/api/v1/checkups/{id}", { params: { path: { id } }, signal })),
    enabled: id > 0,
    refetchInterval: (q) =>
      q.state.data?.done || q.state.data?.checks.some((r) => r.kind === "no-answer") ? false : 700,
  });

const alternativesQuery = (machine: string, queue: string) =>
  queryOptions({
    queryKey: ["endpoints", "alternatives", machine, queue],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/queues/{name}/alternatives", {
          params: { path: { name: queue }, query: { machine } },
          signal,
        }),
      ),
    enabled: Boolean(queue),
  });

const upper = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);

const called: Record<string, string> = {
  driverless: "no driver at all",
  plain: "plain text, as it is",
};

const marks = { yes: "yes", no: "no", unproven: "idle" } as const;
const places = { service: "From the service", endpoint: "From the endpoint itself" } as const;

/** The checks that isolate a fault, one after the other: from here at once, then from the endpoint's own place. */
export function CheckIt({ machine, queues }: { machine: string; queues: string[] }) {
  const mayPrint = useMay("send a test page");
  const [queue, setQueue] = useState("");
  const [other, setOther] = useState("");
  const alternatives = useQuery(alternativesQuery(machine, queue));
  const start = useMutation({
    mutationFn: async () =>
      await ask(
        api.POST("/api/v1/endpoints/{machine}/checkups", {
          params: {
            path: { machine },
            query: queue ? { queue, ...(other && { try: other }) } : {},
          },
        }),
      ),
  });
  const later = useQuery(checkupQuery(start.data?.id ?? 0));
  const c = later.data ?? start.data;
  const wrong = c?.checks.find((r) => r.result === "no");
  return (
    <section aria-label="Checkup" className="flex flex-col gap-2">
      <h3 className="font-medium">Checkup</h3>
      <div className="flex flex-wrap items-end gap-3">
        {mayPrint && (
          <Select
            label="With a test page to"
            value={queue}
            all="no queue"
            options={queues}
            onChange={(v) => {
              setQueue(v);
              setOther("");
            }}
          />
        )}
        {mayPrint && queue && (
          <Select
            label="Printed with"
            value={other}
            all="the queue’s own driver"
            options={(alternatives.data?.alternatives ?? []).map((a) => ({
              value: a.try,
              label: `${called[a.try] ?? a.try}${a.now ? " (now)" : ""}${a.last ? `, last time ${a.last}` : ""}`,
            }))}
            onChange={setOther}
          />
        )}
        <Button disabled={start.isPending} onClick={() => start.mutate()}>
          Check it, step by step
        </Button>
      </div>
      {other && (
        <p className="text-ink-2">
          {upper(alternatives.data?.alternatives.find((a) => a.try === other)?.why ?? "")}. The
          endpoint makes a queue for it beside the real one, prints one page, and takes it away
          again.
        </p>
      )}
      {start.error && <ProblemNotice title="It cannot be checked" error={start.error} />}
      {c && (
        <>
          {(["service", "endpoint"] as const).map((by) => {
            const checks = c.checks.filter((r) => r.by === by);
            return (
              checks.length > 0 && (
                <div key={by}>
                  <p className="text-ink-2">{places[by]}</p>
                  <ol className="border-l-2 border-rule-strong">
                    {checks.map((r, i) => (
                      <li key={i} className="px-3 py-1">
                        <Mark of={marks[r.result]}>
                          <strong className="font-medium">{r.check}</strong>{" "}
                          {r.result === "unproven" && <em>nothing proven: </em>}
                          {r.says}.
                        </Mark>
                        {r.fix && <p className="pl-5 text-ink-2">To mend it: {r.fix}.</p>}
                      </li>
                    ))}
                  </ol>
                </div>
              )
            );
          })}
          <p role="status">
            {!c.done && !c.checks.some((r) => r.kind === "no-answer")
              ? "Waiting for what it finds from its own place…"
              : wrong
                ? `Begin with: ${wrong.says}.`
                : "Nothing that was looked at is wrong."}
          </p>
          <CameOut key={c.id} checkup={c} />
        </>
      )}
    </section>
  );
}
