import { queryOptions, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, type ProofRow } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago, stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { count } from "../../lib/words";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";

const proofQuery = (revision: number, queue: string) =>
  queryOptions({
    queryKey: ["endpoints", "proof", revision, queue],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/proof", { params: { query: queue ? { queue } : { revision } }, signal }),
      ),
    refetchInterval: (q) => (q.state.data && q.state.data.pending > 0 ? 3000 : 30_000),
    retry: false,
  });

const marks: Record<ProofRow["state"], string> = {
  arrived: "yes",
  pending: "behind",
  failed: "failing",
  silent: "silent",
  away: "idle",
  past: "retired",
  beyond: "minus",
};
const stands: Record<ProofRow["state"], string> = {
  arrived: "arrived",
  pending: "pending",
  failed: "failed",
  silent: "silent",
  away: "removed by the person",
  past: "overtaken",
  beyond: "there, and must not be",
};
const expects: Record<ProofRow["kind"], string> = {
  gains: "comes",
  changes: "changes",
  loses: "goes",
  has: "is there",
};

/** Whether a change, or a queue, has arrived: where it is expected, how it stands there, and what came out of test pages. */
export function ProofPage() {
  const { get, put } = useUrl();
  const now = useNow();
  const queue = get("queue");
  const revision = Number(get("revision")) || 0;
  const proof = useQuery(proofQuery(revision, queue));
  const [word, setWord] = useUrlText(queue, (w) => put({ queue: w.trim(), revision: "" }));
  const p = proof.data;
  return (
    <section aria-label="Has it arrived?" className="mt-3 flex flex-col gap-3">
      <div className="flex flex-wrap items-end gap-4">
        <label className="flex flex-col gap-1">
          Of a queue
          <input
            type="search"
            className={`${inputLook} w-72`}
            placeholder="name; with none: of a revision"
            value={word}
            onChange={(e) => setWord(e.target.value)}
          />
        </label>
        {!queue && (
          <label className="flex flex-col gap-1">
            Of revision
            <input
              type="number"
              min={1}
              className={`${inputLook} w-28`}
              placeholder="current"
              value={revision || ""}
              onChange={(e) => put({ revision: e.target.value })}
            />
          </label>
        )}
      </div>
      {proof.isPending && <Waiting what="what the endpoints reported" />}
      {proof.error && <ProblemNotice title="It cannot be told" error={proof.error} />}
      {p && (
        <>
          <h2>
            {p.queue ? (
              <>
                Queue <Link to={`/queues?queue=${encodeURIComponent(p.queue)}`}>{p.queue}</Link>
              </>
            ) : (
              <>
                Revision <Link to={`/history?revision=${p.revision}`}>{p.revision}</Link>
              </>
            )}
          </h2>
          <p role="status" className="text-[1.05em]">
            <Mark
              of={p.failed + p.beyond > 0 ? "failing" : p.pending + p.silent > 0 ? "behind" : "yes"}
            >
              {p.says.charAt(0).toUpperCase() + p.says.slice(1)}.
            </Mark>
          </p>
          {p.expected > 0 && <Bar of={p} />}
          {p.absent > 0 && (
            <p>
              <Link to="/endpoints?show=unreached">
                Which machines have no agent, and what reaches them
              </Link>
            </p>
          )}
          {p.rows.length > 0 && (
            <Table
              label="Expectations"
              heads={["Endpoint", "For", "Queue", "Expected", "Status", "Test page"]}
            >
              {p.rows.map((r, i) => (
                <tr key={i} className="border-b border-rule align-top">
                  <td className="px-2 py-1">
                    <Link to={`/endpoints?endpoint=${encodeURIComponent(r.machine)}`}>
                      {r.machine}
                    </Link>
                  </td>
                  <td className="px-2 py-1">{r.user || "everybody"}</td>
                  <td className="px-2 py-1">{r.queue}</td>
                  <td className="px-2 py-1">{expects[r.kind]}</td>
                  <td className="px-2 py-1">
                    <Mark of={marks[r.state]}>
                      <strong className="font-medium">{stands[r.state]}</strong>
                      {r.says !== "installed" && `: ${r.says}`}
                    </Mark>
                  </td>
                  <td className="px-2 py-1">
                    {r.tested ? (
                      <Mark
                        of={
                          r.tested.print_result
                            ? r.tested.print_result.result === "good"
                              ? "yes"
                              : "no"
                            : r.tested.result === "no"
                              ? "no"
                              : "idle"
                        }
                      >
                        {r.tested.print_result
                          ? `${r.tested.print_result.result}, says ${r.tested.print_result.by}`
                          : r.tested.result === "no"
                            ? `failed: ${r.tested.says}`
                            : "sent; nobody has told what came out"}
                        ,{" "}
                        <time dateTime={r.tested.at} title={stamp(r.tested.at)}>
                          {ago(r.tested.at, now)}
                        </time>
                      </Mark>
                    ) : (
                      <span className="text-ink-3">none</span>
                    )}
                  </td>
                </tr>
              ))}
            </Table>
          )}
          {p.expected + p.beyond > p.rows.length && (
            <p>
              and {p.expected + p.beyond - p.rows.length} more:{" "}
              <code className="font-mono">cirque proof --most 10000</code>.
            </p>
          )}
          <p className="text-ink-2">
            By what {count(new Set(p.rows.map((r) => r.machine)).size + p.others, "endpoint")}{" "}
            reported last. A test page counts where a checkup sent it from the endpoint itself.
          </p>
        </>
      )}
    </section>
  );
}

type Counts = {
  arrived: number;
  pending: number;
  failed: number;
  silent: number;
  away: number;
  past: number;
  expected: number;
};

/** The parts of what is expected, side by side; the sentence above says the same. */
function Bar({ of: p }: { of: Counts }) {
  const parts = [
    ["bg-good", p.arrived],
    ["bg-warn", p.pending],
    ["bg-bad", p.failed],
    ["bg-rule-strong", p.silent + p.away + p.past],
  ] as const;
  return (
    <div aria-hidden="true" className="flex h-3 max-w-[60rem]">
      {parts.map(
        ([tone, n]) =>
          n > 0 && <span key={tone} className={`mr-px ${tone}`} style={{ flexGrow: n }} />,
      )}
    </div>
  );
}
