import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { Finding, Grant } from "../../api/client";
import { Rename } from "../../parts/Rename";
import { useMay } from "../../parts/useMay";
import { draftChanged, reachQuery, sendEdits } from "../../api/drafts";
import { BegunNotice } from "../../parts/BegunNotice";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { hours, readHours } from "../../lib/hours";
import { place } from "../../lib/place";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Picker } from "../../ui/Picker";
import { Entries } from "../../parts/Entries";
import { useBegun } from "../../parts/useBegun";
import { effects, gaps, isEnd, tidy, warning } from "./model";

const sessions = ["desktop", "remote", "virtual", "mobile", "browser"].map((s) => ({
  value: s,
  label: s,
}));
const platforms = ["windows", "macos", "linux", "chromeos", "ios", "android"]
  .flatMap((os) => [os, `${os}/x64`, `${os}/x86`, `${os}/arm64`])
  .map((p) => ({ value: p, label: p }));
type GrantSheetProps = {
  grant: Grant;
  fresh: boolean;
  names: Set<string>;
  findings: Finding[];
  onDone: () => void;
};

/** One grant, written as a sentence; it is kept in the draft. */
export function GrantSheet({ grant, fresh, names, findings, onDone }: GrantSheetProps) {
  const begun = useBegun(`grants/${fresh ? "new" : grant.name}`, grant);
  const { value: g, setValue: setG } = begun;
  const client = useQueryClient();
  const mayEdit = useMay("edit a draft");
  const change = (part: Partial<Grant>) => setG((old) => ({ ...old, ...part }));
  const gives = g.effect !== "withhold";
  const clean = tidy(gives ? g : { ...g, default: 0, nearest: 0 });
  const missing = gaps(clean, fresh && names.has(g.name));
  const done = {
    onSuccess: async () => {
      begun.forget();
      await draftChanged(client);
      onDone();
    },
  };
  const save = useMutation({
    mutationFn: () =>
      sendEdits([{ list: "grants", name: clean.name, object: clean, create: fresh }]),
    ...done,
  });
  const remove = useMutation({
    mutationFn: () => sendEdits([{ list: "grants", name: grant.name, remove: true }]),
    ...done,
  });
  const caution = warning(clean);
  return (
    <div className="flex flex-col gap-4">
      <BegunNotice begun={begun} />
      {fresh && (
        <Field
          label="Name"
          value={g.name}
          placeholder="such as booking-hall"
          onChange={(e) => change({ name: e.target.value })}
          hint="Lower-case letters, digits, dots, dashes."
          className="max-w-72"
        />
      )}
      <p className="text-[1.15rem] leading-[2.1]" data-sentence>
        <Picker
          label="effect"
          word={effects.find((e) => e.value === g.effect)?.label ?? "Place"}
          options={[...effects]}
          onPick={(v) => change({ effect: effects.find((e) => e.value === v)?.value ?? g.effect })}
        />{" "}
        <Entries
          label="queue, label or place"
          kinds={["queue", "location"]}
          entry={(f) => (f.kind === "queue" ? f.name : `within:${f.name}`)}
          free={(t) =>
            t.startsWith("label:") ? t : /^[a-z0-9][a-z0-9._+-]*$/.test(t) ? `label:${t}` : null
          }
          values={g.queues}
          join="and"
          none="which queues?"
          onChange={(v) => change({ queues: v })}
        />
        {gives && g.queues.length > 0 && (
          <>
            ,{" "}
            <Picker
              label="number of the nearest"
              word={g.nearest ? `only the ${g.nearest} nearest` : "all of them"}
              options={[
                { value: "0", label: "all of them" },
                ...[1, 2, 3, 5].map((n) => ({ value: String(n), label: `only the ${n} nearest` })),
              ]}
              free={(t) => (/^[1-9]\d*$/.test(t) ? `only the ${t} nearest` : null)}
              onPick={(v) => change({ nearest: Number(v) })}
            />
          </>
        )}
        {gives ? " for " : " from "}
        <Entries
          label="person, group or unit"
          kinds={["user", "group", "unit"]}
          entry={(f) => `${f.kind}:${f.name}`}
          fixed={[
            {
              value: "everyone",
              label: "everyone",
              detail: "All people, also those whom the directory does not know.",
            },
          ]}
          free={(t) => `user:${t}`}
          values={g.to}
          none="whoever is there, also nobody"
          onChange={(to) => change({ to })}
        />
        {", at "}
        <Entries
          label="location, subnet or range"
          kinds={["location"]}
          entry={(f) => `location:${f.name}`}
          free={place}
          values={g.at}
          none="any place"
          onChange={(at) => change({ at })}
        />
        {", on "}
        <Entries
          label="machine, group or unit"
          kinds={["machine", "station", "group", "unit"]}
          entry={(f) =>
            f.kind === "group" || f.kind === "unit" ? `${f.kind}:${f.name}` : `machine:${f.name}`
          }
          free={(t) => (t.startsWith("host:") ? t : `machine:${t}`)}
          values={g.on}
          none="any machine"
          onChange={(on) => change({ on })}
        />
        {", in "}
        <Entries
          label="kind of session"
          kinds={[]}
          entry={(f) => f.name}
          fixed={sessions}
          values={g.sessions}
          none="any"
          onChange={(s) => change({ sessions: s })}
        />
        {" session, under "}
        <Entries
          label="platform"
          kinds={[]}
          entry={(f) => f.name}
          fixed={platforms}
          values={g.platforms}
          none="any platform"
          onChange={(p) => change({ platforms: p })}
        />
        {", "}
        <Entries
          label="hours"
          kinds={[]}
          entry={(f) => f.name}
          free={(t) => {
            const w = readHours(t);
            return w && hours(w);
          }}
          fixed={[
            {
              value: "mon tue wed thu fri 08:00-17:00",
              label: "mon-fri 08:00-17:00",
              detail:
                "Or type such as sat 21:00-01:30; past midnight belongs to the day on which it began.",
            },
          ]}
          values={g.open?.map(hours)}
          none="at any hour"
          onChange={(v) => change({ open: v.map(readHours).filter((w) => w !== null) })}
        />
        {", "}
        <Picker
          label="last day"
          word={g.until ? `until ${g.until}` : "for good"}
          options={[
            {
              value: "",
              label: "for good",
              detail:
                "Or type the last day, such as 2026-12-31, by the clock of each queue's site.",
            },
          ]}
          free={(t) => (isEnd(t) ? `until ${t}` : null)}
          onPick={(until) => change({ until })}
        />
        {", except "}
        <Entries
          label="exception"
          kinds={["user", "group", "unit", "machine", "station", "location"]}
          entry={(f) => (f.kind === "station" ? `machine:${f.name}` : `${f.kind}:${f.name}`)}
          free={place}
          values={g.except}
          none="nobody"
          onChange={(except) => change({ except })}
        />
        .
        {gives && (
          <>
            {" As a default it has "}
            <Picker
              label="weight as the default"
              word={g.default ? `weight ${g.default}` : "no weight"}
              options={[
                {
                  value: "0",
                  label: "no weight",
                  detail: "It never becomes the default by this grant.",
                },
                ...[1, 10, 50, 100].map((n) => ({ value: String(n), label: `weight ${n}` })),
              ]}
              free={(t) => (/^([1-9]\d{0,2}|1000)$/.test(t) ? `weight ${t}` : null)}
              onPick={(v) => change({ default: Number(v) })}
            />
            {", and "}
            <Picker
              label="a person's own default"
              word={g.insist ? "overrides" : "respects"}
              options={[
                {
                  value: "",
                  label: "respects",
                  detail: "A person's own choice of a default stays.",
                },
                {
                  value: "yes",
                  label: "overrides",
                  detail: "The default is set back when somebody changes it.",
                },
              ]}
              onPick={(v) => change({ insist: v === "yes" })}
            />
            {" a person's own. A queue that somebody removes "}
            <Picker
              label="what happens to a removed queue"
              word={g.if_removed === "leave" ? "stays away" : "comes back"}
              options={[
                { value: "", label: "comes back" },
                { value: "leave", label: "stays away" },
              ]}
              onPick={(v) =>
                setG(({ if_removed: _, ...rest }) =>
                  v === "leave" ? { ...rest, if_removed: "leave" } : rest,
                )
              }
            />
            .
          </>
        )}
      </p>
      {caution && (
        <p>
          <Mark of="warning">{caution}</Mark>
        </p>
      )}
      <ReachNotice grant={clean} ready={missing.length === 0} />
      <Field label="Note" value={g.note ?? ""} onChange={(e) => change({ note: e.target.value })} />
      {findings.length > 0 && (
        <section aria-label="Findings">
          <h3 className="font-medium">As the draft has it now</h3>
          <ul>
            {findings.map((f, i) => (
              <li key={i} className="py-0.5">
                <Mark of={f.severity}>
                  {f.says}; {f.fix}.
                </Mark>
              </li>
            ))}
          </ul>
        </section>
      )}
      {missing.length > 0 && (
        <p role="status" className="text-ink-2">
          Still missing: {missing.join("; ")}.
        </p>
      )}
      {save.error && (
        <ProblemNotice title="The grant cannot be kept like this" error={save.error} />
      )}
      {remove.error && <ProblemNotice title="The grant cannot be taken out" error={remove.error} />}
      <div className="flex gap-2">
        {mayEdit && (
          <Button
            kind="main"
            disabled={missing.length > 0 || save.isPending}
            onClick={() => save.mutate()}
          >
            Keep in the draft
          </Button>
        )}
        {mayEdit && !fresh && (
          <Button disabled={remove.isPending} onClick={() => remove.mutate()}>
            Take the grant out
          </Button>
        )}
      </div>
      {mayEdit && !fresh && (
        <Rename list="grants" word="grant" name={grant.name} onDone={() => onDone()} />
      )}
    </div>
  );
}

/** How many the grant would reach, at once. */
function ReachNotice({ grant, ready }: { grant: Grant; ready: boolean }) {
  const reach = useQuery({ ...reachQuery(grant), enabled: ready });
  const r = reach.data;
  if (!ready) return null;
  if (reach.error)
    return <ProblemNotice title="The sentence does not hold yet" error={reach.error} />;
  if (!r)
    return (
      <p role="status" className="text-ink-3">
        Counting whom it reaches…
      </p>
    );
  const people = r.everyone ? "everybody" : `${r.people} of ${count(r.of_people, "person")}`;
  const machines = r.any_machine
    ? "any machine"
    : `${r.machines} of ${count(r.of_machines, "machine")}`;
  return (
    <section
      aria-label="Reach"
      className="border-l-2 border-accent bg-accent-wash px-3 py-2"
      aria-live="polite"
    >
      <p>
        <strong>
          Reaches {people}, on {machines}
        </strong>
        {r.machine_wide && ", also with nobody signed in"}. It would match now in {r.seen} of{" "}
        {count(r.of_seen, "context")} in which somebody was last seen.
      </p>
      <p className="text-ink-2">
        {count(r.queues.length, "queue")}:{" "}
        {r.queues.slice(0, 8).join(", ") || "none, so it does nothing"}
        {r.queues.length > 8 && ` and ${r.queues.length - 8} more`}.
      </p>
      {r.names.length > 0 && !r.everyone && (
        <p className="text-ink-2">
          Among them {r.names.join(", ")}
          {r.people + r.machines > r.names.length && "…"}
        </p>
      )}
      {r.left.length > 0 && !r.everyone && (
        <p className="text-ink-2">Not {r.left.slice(0, 6).join(", ")}…</p>
      )}
    </section>
  );
}
