import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import type { components } from "../../api/schema";
import { draftChanged } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useMay } from "../../parts/useMay";
import { ago, stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { requestsQuery } from "./queries";

type Request = components["schemas"]["AccessRequest"];

const marks: Record<Request["state"], string> = {
  open: "behind",
  granted: "yes",
  declined: "no",
  withdrawn: "idle",
};

/** What people have asked for and wait for an answer to; below, what was answered. */
export function Requests() {
  const requests = useQuery(requestsQuery());
  const now = useNow();
  if (requests.isPending) return <Waiting what="the requests" />;
  if (!requests.data)
    return <Failure title="The requests cannot be shown" problem={requests.error} />;
  const open = requests.data.filter((r) => r.state === "open");
  const over = requests.data.filter((r) => r.state !== "open");
  return (
    <>
      {open.length === 0 ? (
        <div className="mt-3">
          <Empty title="Nobody waits for an answer">
            People ask for queues on their own page, or with{" "}
            <code className="font-mono">cirque request make</code>.
          </Empty>
        </div>
      ) : (
        <ul aria-label="Requests that are open" className="mt-3">
          {open.map((r) => (
            <li key={r.id} className="border-t border-rule py-2">
              <Open request={r} now={now} />
            </li>
          ))}
        </ul>
      )}
      {over.length > 0 && (
        <section aria-labelledby="answered" className="mt-6">
          <h2 id="answered">Answered</h2>
          <ul className="mt-1">
            {over.slice(0, 50).map((r) => (
              <li key={r.id} className="border-t border-rule py-1">
                <Mark of={marks[r.state]}>
                  {r.person}, {r.queue}: {r.state}
                </Mark>
                <p className="pl-5 text-ink-2">
                  {[
                    r.answered_by,
                    r.answered_at && stamp(r.answered_at),
                    r.answer && `“${r.answer}”`,
                    `asked for: ${r.reason}`,
                  ]
                    .filter(Boolean)
                    .join(", ")}
                </p>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}

function Open({ request: r, now }: { request: Request; now: number }) {
  const client = useQueryClient();
  const may = useMay("answer people's requests");
  const [says, setSays] = useState("");
  const answer = useMutation({
    mutationFn: (grant: boolean) =>
      ask(
        api.POST("/api/v1/requests/{id}/answer", {
          params: { path: { id: r.id } },
          body: { grant, says: says.trim() },
        }),
      ),
    onSuccess: async () => {
      setSays("");
      await Promise.all([draftChanged(client), client.invalidateQueries({ queryKey: ["events"] })]);
    },
  });
  return (
    <>
      <p>
        <Link to={`/people/${encodeURIComponent(r.person)}`}>{r.person}</Link> asks for{" "}
        <Link to={`/queues?queue=${encodeURIComponent(r.queue)}`}>{r.queue}</Link>:{" "}
        <strong className="font-medium">{r.reason}</strong>
        <span className="text-ink-2">, {ago(r.at, now)}</span>
      </p>
      {r.drafted_by && (
        <p>
          <Mark of="behind">
            {r.drafted_by} granted it in a draft; it is granted once that is{" "}
            <Link to="/draft">published</Link>.
          </Mark>
        </p>
      )}
      {may && !r.drafted_by && (
        <div className="mt-1 flex flex-wrap items-end gap-2">
          <Field
            label="What you answer"
            placeholder="may be left out"
            className="w-80"
            value={says}
            onChange={(e) => setSays(e.target.value)}
          />
          <Button kind="main" disabled={answer.isPending} onClick={() => answer.mutate(true)}>
            Grant it in my draft
          </Button>
          <Button disabled={answer.isPending} onClick={() => answer.mutate(false)}>
            Decline
          </Button>
        </div>
      )}
      {answer.error && <ProblemNotice title="It stays open" error={answer.error} />}
      {(answer.data?.remarks ?? []).map((m) => (
        <p key={m}>
          <Mark of="warning">{m}</Mark>
        </p>
      ))}
    </>
  );
}
