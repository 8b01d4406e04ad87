import { useQuery } from "@tanstack/react-query";
import { Fragment, useState } from "react";
import { useSearchParams } from "react-router";
import { ProblemError, type Entry, type Lineup } from "../../api/client";
import { contextKeys, contextOf, isAskable, withAdded, type Context } from "../../lib/context";
import { stamp } from "../../lib/time";
import { count, through } from "../../lib/words";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Picker } from "../../ui/Picker";
import { queuesQuery } from "../../api/queries";
import { completedQuery, lineupQuery } from "../../parts/lineups";
import { Reasoning } from "./Reasoning";
import { Sentence } from "./Sentence";
import { Taken } from "./Taken";
import { SubjectDrawer } from "../../parts/SubjectDrawer";

const leftOutWords: Record<string, string> = {
  withheld: "withheld",
  retired: "the queue is retired",
  "not-permitted": "its access does not permit it",
  "no-path": "no path leads there from here",
  "no-driver": "none of its drivers fits",
  "not-nearest": "others are nearer",
  "no-distance": "it has no distance from here",
};

export function LineupPage() {
  const [params, setParams] = useSearchParams();
  const said = contextOf(params);
  const asGiven = params.get("given") === "1";
  const completed = useQuery({
    ...completedQuery(said, params.has("session")),
    enabled: isAskable(said) && !asGiven,
  });
  const added = asGiven ? [] : (completed.data?.added ?? []);
  const context = withAdded(said, added);
  const known = asGiven || !completed.isLoading;
  const lineup = useQuery({
    ...lineupQuery(context),
    enabled: isAskable(said) && known && !completed.isPlaceholderData,
  });
  const change = (part: Partial<Context>) =>
    setParams((old) => {
      const next = new URLSearchParams(old);
      for (const k of contextKeys) {
        const v = part[k];
        if (v === undefined) continue;
        if (v === "") next.delete(k);
        else next.set(k, v);
      }
      return next;
    });
  const open = params.get("why") ?? "";
  const toggle = (queue: string) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (open === queue) next.delete("why");
        else next.set("why", queue);
        return next;
      },
      { replace: true },
    );
  return (
    <>
      <h1 className="sr-only">Lineup</h1>
      <Sentence
        context={context}
        answer={isAskable(context) ? lineup.data : undefined}
        onChange={change}
      />
      <Taken
        added={added}
        unknown={asGiven ? [] : (completed.data?.unknown ?? [])}
        asGiven={asGiven}
        onGiven={(given) =>
          setParams((old) => {
            const next = new URLSearchParams(old);
            if (given) next.set("given", "1");
            else next.delete("given");
            return next;
          })
        }
      />
      <About context={context} answer={isAskable(context) ? lineup.data : undefined} />
      <div className="mt-3">
        {!isAskable(context) ? (
          <Empty title="Whose lineup?">
            Change a word of the sentence: a person, a machine or an address is enough to begin
            with.
          </Empty>
        ) : lineup.error ? (
          <Failure
            title="There is no answer for this context"
            problem={{
              message: lineup.error.message,
              fix: lineup.error instanceof ProblemError ? lineup.error.problem.fix : undefined,
            }}
          />
        ) : lineup.data ? (
          <Answer lineup={lineup.data} context={context} open={open} onToggle={toggle} />
        ) : (
          <Waiting what="the lineup" />
        )}
      </div>
    </>
  );
}

/** Leads to everything about the person and the machine of the sentence. */
function About({ context, answer }: { context: Context; answer: Lineup | undefined }) {
  const [about, setAbout] = useState<"user" | "machine" | "">("");
  const machine = context.machine || (answer?.context.machine ?? "");
  const name = about === "user" ? context.user : machine;
  if (!context.user && !machine) return null;
  return (
    <p className="flex gap-4">
      {context.user && (
        <button
          type="button"
          className="min-h-[24px] text-accent underline underline-offset-2"
          onClick={() => setAbout("user")}
        >
          All about {context.user}
        </button>
      )}
      {machine && (
        <button
          type="button"
          className="min-h-[24px] text-accent underline underline-offset-2"
          onClick={() => setAbout("machine")}
        >
          All about {machine}
        </button>
      )}
      {about && name && <SubjectDrawer kind={about} name={name} onClose={() => setAbout("")} />}
    </p>
  );
}

type AnswerProps = {
  lineup: Lineup;
  context: Context;
  open: string;
  onToggle: (queue: string) => void;
};

function Answer({ lineup, context, open, onToggle }: AnswerProps) {
  const inIt = new Set([
    ...lineup.entries.map((e) => e.queue),
    ...lineup.left_out.map((l) => l.queue),
  ]);
  return (
    <>
      {lineup.entries.length > 0 && (
        <table>
          <caption className="pb-1 text-left text-ink-2">
            {count(lineup.entries.length, "queue")}, by{" "}
            {lineup.revision === 0 ? "your draft" : `revision ${lineup.revision}`}, as of{" "}
            {stamp(lineup.context.time)}. Open one for its reasoning.
          </caption>
          <thead>
            <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
              {["Queue", "Title", "Effect", "Through", "Driver", "Steps", "By"].map((h) => (
                <th key={h} scope="col" className="px-2 py-1.5 font-medium">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {lineup.entries.map((e) => (
              <Row
                key={e.queue}
                entry={e}
                context={context}
                open={open === e.queue}
                onToggle={onToggle}
              />
            ))}
          </tbody>
        </table>
      )}
      {lineup.entries.length === 0 && (
        <div className="mt-2">
          <Empty title="No queue here">
            {lineup.left_out.length > 0
              ? "Grants would give some, but something stands against each; see below."
              : "No grant gives one here."}{" "}
            Ask below why a certain queue is missing.
          </Empty>
        </div>
      )}
      {lineup.left_out.length > 0 && (
        <table className="mt-5">
          <caption className="pb-1 text-left text-ink-2">
            {count(lineup.left_out.length, "queue")} left out: granted, but something stands against
            it.
          </caption>
          <thead>
            <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
              {["Queue", "Why not", "Grants"].map((h) => (
                <th key={h} scope="col" className="px-2 py-1.5 font-medium">
                  {h}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {lineup.left_out.map((l) => (
              <Fragment key={l.queue}>
                <tr className="border-b border-rule hover:bg-wash">
                  <td className="px-2 py-1">
                    <Opener queue={l.queue} open={open === l.queue} onToggle={onToggle} />
                  </td>
                  <td className="px-2 py-1">
                    <Mark of="no">{leftOutWords[l.reason] ?? l.reason}</Mark>
                  </td>
                  <td className="px-2 py-1">{l.grants.join(", ")}</td>
                </tr>
                {open === l.queue && (
                  <tr>
                    <td colSpan={3} className="border-b border-rule-strong">
                      <Reasoning context={context} queue={l.queue} />
                    </td>
                  </tr>
                )}
              </Fragment>
            ))}
          </tbody>
        </table>
      )}
      <WhyNot inIt={inIt} open={open} context={context} onToggle={onToggle} />
    </>
  );
}

function Opener({
  queue,
  open,
  onToggle,
}: {
  queue: string;
  open: boolean;
  onToggle: (queue: string) => void;
}) {
  return (
    <button
      type="button"
      aria-expanded={open}
      aria-label={`Reasoning for ${queue}`}
      className="flex min-h-[24px] items-center gap-1.5 text-left font-medium text-accent hover:underline"
      onClick={() => onToggle(queue)}
    >
      <svg viewBox="0 0 8 8" className={`size-2 ${open ? "rotate-90" : ""}`} aria-hidden="true">
        <path d="M2 0 7 4 2 8z" fill="currentColor" />
      </svg>
      {queue}
    </button>
  );
}

function Row({
  entry: e,
  context,
  open,
  onToggle,
}: {
  entry: Entry;
  context: Context;
  open: boolean;
  onToggle: (queue: string) => void;
}) {
  const flags = [
    e.scope === "machine" && "machine-wide",
    e.stranded && "stranded",
    e.not_accepting && (e.not_accepting === "paused" ? "paused" : "closed now"),
  ].filter(Boolean);
  return (
    <>
      <tr className="border-b border-rule align-top hover:bg-wash">
        <td className="px-2 py-1">
          <Opener queue={e.queue} open={open} onToggle={onToggle} />
        </td>
        <td className="px-2 py-1">
          {e.title}
          {e.default && (
            <span className="ml-2 border border-accent px-1 text-accent">
              default{e.insist && ", overriding"}
            </span>
          )}
        </td>
        <td className="px-2 py-1">
          <Mark of={e.effect} />
          {flags.length > 0 && <span className="text-ink-2">, {flags.join(", ")}</span>}
        </td>
        <td className="px-2 py-1">{through(e.path)}</td>
        <td className="px-2 py-1">
          <Exact text={e.exact ?? e.driver} />
        </td>
        <td className="px-2 py-1">{e.distance ?? <span title="no distance is known">–</span>}</td>
        <td className="px-2 py-1 text-ink-2">{e.grants.join(", ")}</td>
      </tr>
      {open && (
        <tr>
          <td colSpan={7} className="border-b border-rule-strong">
            <Reasoning context={context} queue={e.queue} />
          </td>
        </tr>
      )}
    </>
  );
}

/** Asks about a queue that is in neither list. */
function WhyNot({
  inIt,
  open,
  context,
  onToggle,
}: {
  inIt: Set<string>;
  open: string;
  context: Context;
  onToggle: (queue: string) => void;
}) {
  const queues = useQuery(queuesQuery());
  const rest = (queues.data ?? []).filter((q) => !inIt.has(q.name));
  const shown = open !== "" && !inIt.has(open);
  return (
    <div className="mt-6">
      <p>
        Why not{" "}
        <Picker
          label="queue to ask about"
          word={shown ? open : "another queue"}
          options={rest.map((q) => ({
            value: q.name,
            label: q.title ? `${q.title} (${q.name})` : q.name,
            detail: q.location,
          }))}
          onPick={(q) => {
            if (open !== q) onToggle(q);
          }}
        />
        ?
      </p>
      {shown && (
        <div className="mt-2 border border-rule-strong">
          <Reasoning context={context} queue={open} />
        </div>
      )}
    </div>
  );
}
