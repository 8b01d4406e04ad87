import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import { api, ask, type Move, type Rehearsal, type ServerView } from "../../api/client";
import { Form } from "../../parts/Form";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useForm } from "../../parts/useForm";
import { rehearse } from "../../api/rehearse";
import { movesQuery } from "../../api/stock";
import { ago, stamp } from "../../lib/time";
import { useMay } from "../../parts/useMay";
import { useNow } from "../../lib/useNow";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Checklist } from "./Checklist";
import { dutyMark, dutyWord } from "../../parts/stock";

/** Servers out of duty, with how far everybody has moved; and taking one out. */
export function Duty({ servers }: { servers: ServerView[] }) {
  const may = useMay("take servers out of duty");
  const moves = useQuery(movesQuery());
  if (moves.isPending) return <Waiting what="the servers out of duty" />;
  if (!moves.data)
    return <Failure title="The servers out of duty cannot be shown" problem={moves.error} />;
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-[1fr_24rem]">
      <section aria-label="Out of duty" className="flex flex-col gap-4">
        <h2>Out of duty</h2>
        {moves.data.length === 0 && <p className="text-ink-2">Every server is on duty.</p>}
        {moves.data.map((m) => (
          <OneMove key={m.name} move={m} may={may} />
        ))}
      </section>
      {may && <TakeOut servers={servers.filter((s) => s.in_estate && s.duty === "serving")} />}
    </div>
  );
}

function OneMove({ move: m, may }: { move: Move; may: boolean }) {
  const client = useQueryClient();
  const now = useNow();
  const back = useMutation({
    mutationFn: (atOnce: boolean) =>
      ask(
        api.POST("/api/v1/servers/{name}/return", {
          params: { path: { name: m.name }, query: { at_once: atOnce } },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["duties"] }),
  });
  const returning = m.duty === "serving";
  const done = returning ? m.share : m.endpoints > 0 ? (m.endpoints - m.left) / m.endpoints : 1;
  return (
    <article aria-label={m.name} className="border border-rule-strong bg-sheet px-4 py-3">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h3 className="font-medium">
          <Link to={`/servers?server=${encodeURIComponent(m.name)}`}>{m.name}</Link>
        </h3>
        <Mark of={dutyMark(m.duty, m.share)}>{dutyWord(m.duty, m.share)}</Mark>
        <span className="text-ink-2">
          {ago(m.since, now)} by {m.author}
          {m.reason && `: ${m.reason}`}
        </span>
      </div>
      <div
        role="progressbar"
        aria-label={
          returning
            ? `The part of its people that ${m.name} takes`
            : `How many have moved off ${m.name}`
        }
        aria-valuenow={Math.round(done * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
        className="my-2 h-3 border border-rule-strong bg-wash"
      >
        <div className="h-full bg-accent" style={{ width: `${done * 100}%` }} />
      </div>
      <p role="status">{m.empty ? <Mark of="yes">It is empty: {m.says}</Mark> : m.says}.</p>
      {!returning && (
        <p className="text-ink-2">
          {m.endpoints === 0
            ? "No endpoint led to it."
            : `${m.endpoints - m.left} of ${m.endpoints} have confirmed.`}{" "}
          {m.waiting === null ? "" : `Waiting jobs were read ${ago(m.read ?? m.since, now)}.`}{" "}
          {m.health === "down"
            ? "It does not answer."
            : m.health === "up"
              ? "It answers."
              : "Nothing is proven of whether it answers."}
          {m.until && !returning ? ` It returns by itself on ${stamp(m.until)}.` : ""}
        </p>
      )}
      {m.stuck.length > 0 && (
        <details className="mt-1" open={m.stuck.length <= 5}>
          <summary className="min-h-[24px] cursor-pointer">Who has not moved, and why</summary>
          <ul className="list-disc pl-5">
            {m.stuck.map((s) => (
              <li key={s.machine}>
                <Link to={`/endpoints?endpoint=${encodeURIComponent(s.machine)}`}>{s.machine}</Link>
                , <Mark of={s.state} />: {s.says}
              </li>
            ))}
          </ul>
        </details>
      )}
      <details className="mt-1">
        <summary className="min-h-[24px] cursor-pointer">
          Checklist of the outage<span className="sr-only"> of {m.name}</span>
        </summary>
        <Checklist server={m.name} />
      </details>
      {back.error && <ProblemNotice title="It stays out of duty" error={back.error} />}
      {may && m.duty !== "down" && (
        <div className="mt-2 flex flex-wrap gap-3">
          {!returning && (
            <Button disabled={back.isPending} onClick={() => back.mutate(false)}>
              Return it, part by part<span className="sr-only"> ({m.name})</span>
            </Button>
          )}
          <Button disabled={back.isPending} onClick={() => back.mutate(true)}>
            {returning ? "Take all its people back now" : "Return it at once"}
            <span className="sr-only"> ({m.name})</span>
          </Button>
        </div>
      )}
    </article>
  );
}

const hours = [
  { value: "1", label: "for 1 hour" },
  { value: "2", label: "for 2 hours" },
  { value: "4", label: "for 4 hours" },
  { value: "12", label: "for 12 hours" },
];

/** Consequences first: whom the rehearsal moves and strands, then the button. */
function TakeOut({ servers }: { servers: ServerView[] }) {
  const client = useQueryClient();
  const form = useForm({
    start: { name: "", reason: "", span: "" },
    send: ({ name, reason, span }) =>
      ask(
        api.POST("/api/v1/servers/{name}/drain", {
          params: { path: { name } },
          body: {
            reason: reason.trim(),
            ...(span && { until: new Date(Date.now() + Number(span) * 3_600_000).toISOString() }),
          },
        }),
      ),
    onDone: async () => {
      await client.invalidateQueries({ queryKey: ["duties"] });
      await client.invalidateQueries({ queryKey: ["stock"] });
    },
  });
  const [seen, setSeen] = useState<{ name: string; report: Rehearsal } | null>(null);
  const { name, reason, span } = form.value;
  useEffect(() => {
    if (!name) return undefined;
    const stop = new AbortController();
    rehearse({ without: [`server:${name}`] }, () => undefined, stop.signal)
      .then((report) => setSeen({ name, report }))
      .catch(() => undefined); // the drain itself says what is wrong
    return () => stop.abort();
  }, [name]);
  const totals = seen?.name === name ? seen.report.totals : undefined;
  const who = (kind: string) => (totals?.[kind]?.people ?? 0) + (totals?.[kind]?.machines ?? 0);
  return (
    <Form
      label="Take a server out of duty"
      failed="The server stays on duty"
      form={form}
      foot={
        <>
          <Button kind="main" type="submit" disabled={form.busy || !name || !reason.trim()}>
            Move everybody off it
          </Button>
          {(!name || !reason.trim()) && (
            <p className="text-ink-2">
              It lacks{" "}
              {!name && !reason.trim() ? "a server and a reason" : !name ? "a server" : "a reason"}.
            </p>
          )}
          <p className="text-ink-2">
            Each endpoint is led to another member first; only then does nothing lead here any more.
            What waits on the server goes on printing.
          </p>
        </>
      }
    >
      <h2>Take a server out of duty</h2>
      <Select
        label="Server"
        value={name}
        all="choose one"
        options={servers.map((s) => ({
          value: s.name,
          label: s.sets.length > 0 ? `${s.name}, in ${s.sets.join(", ")}` : s.name,
        }))}
        onChange={(v) => form.change({ name: v })}
      />
      <Field label="Why" required placeholder="such as: driver update" {...form.text("reason")} />
      <Select
        label="For how long"
        value={span}
        all="until somebody returns it"
        options={hours}
        onChange={(v) => form.change({ span: v })}
      />
      {name && (
        <div role="status" className="border-l-2 border-accent bg-accent-wash px-3 py-2">
          {totals ? (
            <>
              <p>
                {who("path")} of the people and machines that are known go another way
                {who("stranded") === 0 && who("loses") === 0 ? "; nobody loses a queue." : "."}
              </p>
              {who("stranded") > 0 && (
                <p>
                  <Mark of="warning">
                    {who("stranded")} have a queue that nothing else serves: it is kept, and prints
                    once the server is back
                  </Mark>
                </p>
              )}
            </>
          ) : (
            <p>Working out whom it concerns…</p>
          )}
        </div>
      )}
      {name && <Checklist server={name} steps={2} />}
    </Form>
  );
}
