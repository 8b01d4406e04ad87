import { useMutation, useQuery } from "@tanstack/react-query";
import { api, ask, ProblemError, type Condition } from "../../api/client";
import { queryOf, type Context } from "../../lib/context";
import { through } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { draw, fit } from "./drawing";
import { whyQuery } from "../../parts/lineups";

const tone = { on: "var(--accent)", off: "var(--rule-strong)", bad: "var(--bad)" };

/** Why a queue is in a lineup, or is not: as a drawing, and in words. */
export function Reasoning({ context, queue }: { context: Context; queue: string }) {
  const why = useQuery(whyQuery(context, queue));
  if (why.isPending) return <Waiting what="the reasoning" />;
  if (!why.data)
    return (
      <Failure
        title="The reasoning cannot be shown"
        problem={{
          message: why.error.message,
          fix: why.error instanceof ProblemError ? why.error.problem.fix : undefined,
        }}
      />
    );
  const y = why.data;
  const d = draw(y);
  return (
    <div className="bg-paper px-3 py-3">
      <p className="font-medium" data-says>
        {y.says}
      </p>
      <p className="text-ink-2">
        Location: {y.location_from}. Machine: {y.machine_from}.{y.notes.map((n) => ` ${n}`)}
        {y.present && ` ${y.default}`}
      </p>
      <div
        className="mt-2 overflow-x-auto"
        tabIndex={0}
        role="region"
        aria-label={`Drawing of the reasoning for ${queue}`}
      >
        <svg
          viewBox={`-1 0 ${d.width + 2} ${d.height}`}
          className="w-full max-w-[75rem] min-w-[56rem]"
          role="img"
          aria-label={`${y.says} The same stands in words below.`}
        >
          {d.heads.map((h) => (
            <text key={h.text} x={h.x} y={12} fontSize="11" fill="var(--ink-3)">
              {h.text}
            </text>
          ))}
          {d.lines.map((l, i) => {
            const mid = (l.from[0] + l.to[0]) / 2;
            return (
              <path
                key={i}
                d={`M${l.from[0]} ${l.from[1]}C${mid} ${l.from[1]} ${mid} ${l.to[1]} ${l.to[0]} ${l.to[1]}`}
                fill="none"
                stroke={tone[l.state]}
                strokeWidth={l.state === "on" ? 2 : 1.2}
                strokeDasharray={l.state === "on" ? undefined : "3 4"}
              />
            );
          })}
          {d.boxes.map((b, i) => (
            <g key={i}>
              <title>{`${b.title}: ${b.note}`}</title>
              <rect
                x={b.x}
                y={b.y}
                width={b.w}
                height={b.h}
                fill="var(--sheet)"
                stroke={tone[b.state]}
                strokeWidth={b.state === "on" ? 1.8 : 1}
                strokeDasharray={b.state === "off" ? "3 3" : undefined}
              />
              <text x={b.x + 8} y={b.y + 19} fontSize="12.5" fontWeight="560" fill="var(--ink)">
                {fit(b.title, b.w)}
              </text>
              <text
                x={b.x + 8}
                y={b.y + 36}
                fontSize="11.5"
                fill={
                  b.state === "bad" || b.note.startsWith("fails") ? "var(--bad)" : "var(--ink-2)"
                }
              >
                {fit(b.note, b.w)}
              </text>
            </g>
          ))}
        </svg>
      </div>
      {y.present && <TestPageButton context={context} queue={queue} />}
      {y.change && (
        <div className="mt-2">
          <p>
            <strong className="font-medium">The smallest change that would give it:</strong>{" "}
            {y.change}.
          </p>
          {y.near_misses.length > 1 && (
            <>
              <p className="text-ink-2">Grants that failed by one condition only, nearest first:</p>
              <ul className="list-disc pl-5">
                {y.near_misses.map((m) => (
                  <li key={m.grant}>
                    <strong className="font-medium">{m.grant}</strong>: {m.change}
                  </li>
                ))}
              </ul>
            </>
          )}
        </div>
      )}
      <div className="mt-3 grid gap-x-8 gap-y-3 xl:grid-cols-2">
        {y.grants.map((g) => (
          <section key={g.grant} aria-label={`Grant ${g.grant}`}>
            <h3>
              <Mark
                of={
                  g.counts || (g.matches && g.effect === "withhold")
                    ? "yes"
                    : g.matches
                      ? "idle"
                      : "no"
                }
              >
                <strong className="font-medium">{g.grant}</strong> {g.effect}s it by{" "}
                {g.selects.join(", ")}: {g.says}
              </Mark>
            </h3>
            {g.conditions.length === 0 ? (
              <p className="pl-5 text-ink-2">No condition: it matches everything.</p>
            ) : (
              <Conditions list={g.conditions} />
            )}
          </section>
        ))}
        {y.access && (
          <section aria-label="Access">
            <h3>
              <Mark of={y.access.permitted ? "yes" : "no"}>
                <strong className="font-medium">Access</strong>{" "}
                {y.access.permitted ? "permits it" : "does not permit it"}
              </Mark>
            </h3>
            <Conditions list={y.access.conditions} />
          </section>
        )}
        <section aria-label="Paths">
          <h3 className="font-medium">Paths</h3>
          <ul>
            {y.paths.map((p, i) => (
              <li key={i} className="pl-5">
                <Mark
                  of={p.chosen ? "yes" : p.open && p.usable && p.driver !== null ? "idle" : "no"}
                >
                  {through(p.path)}: {p.says}
                </Mark>
                {p.conditions.length > 0 && <Conditions list={p.conditions} />}
              </li>
            ))}
          </ul>
        </section>
        {y.drivers.length > 0 && (
          <section aria-label="Drivers">
            <h3 className="font-medium">Drivers</h3>
            <ul>
              {y.drivers.map((v) => (
                <li key={v.key} className="pl-5">
                  <Mark of={v.chosen ? "yes" : "idle"}>
                    {v.key}: <Exact text={v.exact ?? v.driver} />, {v.says}
                  </Mark>
                </li>
              ))}
            </ul>
          </section>
        )}
      </div>
    </div>
  );
}

/** Sends a test page the way this lineup goes, and shows what the device answered. */
function TestPageButton({ context, queue }: { context: Context; queue: string }) {
  const send = useMutation({
    mutationFn: (anyway: boolean) =>
      ask(api.POST("/api/v1/test-pages", { body: { context: queryOf(context), queue, anyway } })),
  });
  const closed =
    send.error instanceof ProblemError && send.error.problem.code === "queue-closed"
      ? send.error
      : undefined;
  return (
    <div className="mt-2 flex flex-wrap items-center gap-3">
      <Button disabled={send.isPending} onClick={() => send.mutate(false)}>
        {send.isPending ? "Sending…" : "Send a test page"}
      </Button>
      {send.data && (
        <p role="status">
          <Mark of="yes">
            Sent for {send.data.context.user ?? "nobody"}
            {send.data.context.machine && ` at ${send.data.context.machine}`} to{" "}
            <span className="font-mono text-[0.93em]">{send.data.sent_to}</span>. The device
            answers: {send.data.says}; job {send.data.job_id} is {send.data.state}.
          </Mark>
        </p>
      )}
      {closed && (
        <div role="status" className="flex flex-wrap items-center gap-3">
          <Mark of="warning">{closed.message}</Mark>
          <Button onClick={() => send.mutate(true)}>Print all the same</Button>
        </div>
      )}
      {send.error && !closed && (
        <Failure
          title="No test page came out"
          problem={{
            message: send.error.message,
            fix: send.error instanceof ProblemError ? send.error.problem.fix : undefined,
          }}
        />
      )}
    </div>
  );
}

function Conditions({ list }: { list: Condition[] }) {
  return (
    <ul className="pl-5">
      {list.map((c, i) => (
        <li key={i} className="grid grid-cols-[7rem_1fr] gap-x-2 border-b border-rule py-0.5">
          <Mark of={c.holds ? "yes" : "no"}>{c.kind}</Mark>
          <span className="min-w-0 break-words">
            {c.kind === "except" || c.kind === "deny" ? "must not be " : "wants "}
            {c.wanted.join(" or ")}; found {c.found}
            {c.held.length > 0 &&
              !["sessions", "platforms"].includes(c.kind) &&
              ` (${c.held.join(", ")})`}
          </span>
        </li>
      ))}
    </ul>
  );
}
