import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type ReactNode } from "react";
import type { Document } from "../../api/client";
import { draftChanged, draftDocumentQuery, sendEdits } from "../../api/drafts";
import { Form } from "../../parts/Form";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useForm } from "../../parts/useForm";
import { overviewQuery } from "../../api/queries";
import { seconds, spelled } from "../../lib/span";
import { stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Failure, Waiting } from "../../ui/Notice";

/** What each is where the estate says nothing, and its bounds: spans with their unit, or numbers. */
const agents = {
  wait: ["55s", "5s", "5m"],
  report_every: ["5m", "1m", "1h"],
  gap: ["90s", "5s", "1h"],
  answers_per_second: [2500, 10, 100000],
} as const;
const continuity = {
  probe_every: ["10s", "2s", "1h"],
  down_after: [2, 1, 100],
  up_after: [3, 1, 100],
  flap_within: ["10m", "1m", "1d"],
  flap_most: [4, 1, 100],
  return_over: ["5m", "0s", "1d"],
} as const;
const words: Record<string, string> = {
  wait: "A connected agent waits for a change",
  report_every: "It reports at least every",
  gap: "After a broken connection it asks again within",
  answers_per_second: "A change goes out to agents, at most so many a second",
  probe_every: "Servers and devices are probed every",
  down_after: "Down after so many failures in a row",
  up_after: "Up again after so many answers in a row",
  flap_within: "What goes up and down too often within",
  flap_most: "…more often than so many times is held down",
  return_over: "A member of a set takes its people back over",
};
type Bound = readonly [number, number, number] | readonly [string, string, string];
type Bounds = Readonly<Record<string, Bound>>;

/** A number as it is, a span in seconds; not a number where it is neither. */
function amount(v: unknown, of: Bound | undefined): number {
  if (typeof of?.[0] === "string") return seconds(String(v)) ?? Number.NaN;
  return typeof v === "string" && v.trim() === "" ? Number.NaN : Number(v);
}

/** How often agents ask and report, and how servers are watched: settings of the estate, in the draft, with what they come to. */
export function Pace({ mayEdit }: { mayEdit: boolean }) {
  const doc = useQuery(draftDocumentQuery());
  const endpoints = useQuery(overviewQuery());
  if (doc.isPending || endpoints.isPending) return <Waiting what="the settings" />;
  if (!doc.data) return <Failure title="The settings cannot be shown" problem={doc.error} />;
  const n = Object.values(endpoints.data?.endpoints ?? {}).reduce((a, b) => a + b, 0);
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-2">
      <Part
        name="agents"
        title="How agents ask"
        bounds={agents}
        kept={doc.data.settings?.agents}
        mayEdit={mayEdit}
        says={(v) => (
          <>
            With {count(n, "endpoint")} that is about{" "}
            {count(Math.ceil((n * 60) / v("wait")), "question")} a minute. A change reaches all that
            are connected within {Math.max(1, Math.ceil(n / v("answers_per_second")))} s; one that
            was cut off within {v("gap")} s of its return. An endpoint that has said nothing for{" "}
            {spelled(`${3 * v("report_every")}s`)} counts as silent.
          </>
        )}
      />
      <Part
        name="continuity"
        title="How servers are watched"
        bounds={continuity}
        kept={doc.data.settings?.continuity}
        mayEdit={mayEdit}
        says={(v) => {
          const soon = Math.max(1, v("probe_every") / 5);
          return (
            <>
              A server that stops to answer is found out within about{" "}
              {Math.round(v("probe_every") + (v("down_after") - 1) * soon)} s, and one that answers
              again within {Math.round(v("probe_every") + (v("up_after") - 1) * soon)} s;{" "}
              {v("return_over") === 0
                ? "it then takes all its people back at once"
                : `it then takes its people back over ${spelled(`${v("return_over")}s`)}`}
              .
            </>
          );
        }}
      />
    </div>
  );
}

/** For a roll-out agents ask and report often for some hours, and then as usual by themselves. */
function Hurry({ kept, mayEdit }: { kept: Settings["agents"]; mayEdit: boolean }) {
  const client = useQueryClient();
  const now = useNow();
  const until = kept?.hurry_until;
  const on = until !== undefined && new Date(until).getTime() > now;
  const set = useMutation({
    mutationFn: (hours: number) => {
      const { hurry_until: _was, ...rest } = kept ?? {};
      const object =
        hours > 0
          ? {
              ...rest,
              hurry_until: new Date(Date.now() + hours * 3_600_000)
                .toISOString()
                .replace(/\.\d+Z$/, "Z"),
            }
          : rest;
      return sendEdits([
        Object.keys(object).length > 0
          ? { list: "settings", name: "agents", object }
          : { list: "settings", name: "agents", remove: true },
      ]);
    },
    onSuccess: () => draftChanged(client),
  });
  return (
    <div className="border-l-2 border-rule-strong px-3">
      <p>
        {on
          ? `Until ${stamp(until)} agents hurry, in your draft: they ask every 15 s, within 10 s of a broken connection, and report every minute.`
          : "For a roll-out agents can hurry for a while: they then ask every 15 s, within 10 s of a broken connection, and report every minute; afterwards as usual by themselves."}
      </p>
      {mayEdit && (
        <p className="mt-1 flex flex-wrap gap-2">
          {[1, 4].map((h) => (
            <Button key={h} disabled={set.isPending} onClick={() => set.mutate(h)}>
              Hurry for {count(h, "hour")}
            </Button>
          ))}
          {until && (
            <Button disabled={set.isPending} onClick={() => set.mutate(0)}>
              As usual
            </Button>
          )}
        </p>
      )}
      {set.error && <ProblemNotice title="The draft was not changed" error={set.error} />}
    </div>
  );
}

type Settings = NonNullable<Document["settings"]>;
type PartProps = {
  name: "agents" | "continuity";
  title: string;
  bounds: Bounds;
  kept: Settings["agents"] | Settings["continuity"];
  mayEdit: boolean;
  says: (value: (key: string) => number) => ReactNode;
};

const nothingTyped: Record<string, string> = {};

function Part({ name, title, bounds, kept, mayEdit, says }: PartProps) {
  const client = useQueryClient();
  const before = kept as Record<string, unknown> | undefined;
  const form = useForm({
    start: nothingTyped,
    send: (typed) => {
      const object: Record<string, unknown> = { ...before };
      for (const [k, t] of Object.entries(typed))
        if (t.trim() === "") delete object[k];
        else object[k] = typeof bounds[k]?.[0] === "string" ? t.trim() : Number(t);
      return sendEdits([
        Object.keys(object).length > 0
          ? { list: "settings", name, object }
          : { list: "settings", name, remove: true },
      ]);
    },
    onDone: () => draftChanged(client),
  });
  const typed = form.value;
  const value = (k: string): number => {
    const t = typed[k];
    if (t !== undefined && t.trim() !== "") return amount(t, bounds[k]);
    const b = t === undefined ? before?.[k] : undefined;
    return amount(b ?? bounds[k]?.[0], bounds[k]);
  };
  const wrong = Object.entries(bounds)
    .filter(([k, of]) => {
      const [, least, most] = of;
      const whole =
        typeof least === "string" ? !Number.isNaN(value(k)) : Number.isInteger(value(k));
      return !whole || value(k) < amount(least, of) || value(k) > amount(most, of);
    })
    .map(([k]) => k);
  return (
    <Form
      label={title}
      failed="The draft was not changed"
      form={form}
      foot={
        mayEdit && (
          <p className="flex items-center gap-3">
            <Button
              kind="main"
              type="submit"
              disabled={Object.keys(typed).length === 0 || wrong.length > 0 || form.busy}
            >
              Put it into the draft<span className="sr-only"> ({title})</span>
            </Button>
            {form.result !== undefined && Object.keys(typed).length === 0 && (
              <span role="status" className="text-ink-2">
                It is in the draft; publish it.
              </span>
            )}
          </p>
        )
      }
    >
      <h2>{title}</h2>
      {name === "agents" && <Hurry kept={kept as Settings["agents"]} mayEdit={mayEdit} />}
      {Object.entries(bounds).map(([k, [usual, least, most]]) => (
        <Field
          key={k}
          label={words[k] ?? k}
          inputMode={typeof usual === "number" ? "numeric" : "text"}
          disabled={!mayEdit}
          placeholder={`${usual}, the usual`}
          value={typed[k] ?? (before?.[k] === undefined ? "" : String(before[k]))}
          onChange={(e) => form.change({ [k]: e.target.value })}
          error={
            wrong.includes(k) ? `Write ${least} to ${most}, or nothing for ${usual}.` : undefined
          }
        />
      ))}
      <p role="status" className="border-l-2 border-accent bg-accent-wash px-3 py-2">
        {wrong.length > 0 ? "Something is out of its bounds." : says(value)}
      </p>
    </Form>
  );
}
