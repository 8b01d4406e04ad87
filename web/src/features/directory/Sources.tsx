import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type SourceView } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Drawer } from "../../ui/Drawer";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { AddSource } from "./AddSource";
import { listingsQuery, sourcesChanged, sourcesQuery } from "../../api/directory";
import { RunState } from "./Runs";

/** The directories that are read over LDAP, with how they stand. */
export function Sources() {
  const sources = useQuery(sourcesQuery());
  const [adding, setAdding] = useState(false);
  if (sources.isPending) return <Waiting what="the sources" />;
  if (!sources.data) return <Failure title="The sources cannot be shown" problem={sources.error} />;
  return (
    <div className="mt-3 max-w-[80rem]">
      {sources.data.length === 0 ? (
        <Empty title="No directory is read over LDAP">
          Have one read, and people, groups and machines come from where they already are. It is
          tried first, and nothing is taken in before you say so.
        </Empty>
      ) : (
        <ul>
          {sources.data.map((s) => (
            <li key={s.name} className="border-b border-rule py-3">
              <Source of={s} />
            </li>
          ))}
        </ul>
      )}
      <p className="mt-3">
        <Button onClick={() => setAdding(true)}>Add a source</Button>
      </p>
      <Drawer
        title="Add a source"
        description="A directory that is read over LDAP. It is tried at once."
        open={adding}
        onOpenChange={setAdding}
      >
        <AddSource onDone={() => setAdding(false)} />
      </Drawer>
    </div>
  );
}

function Source({ of: s }: { of: SourceView }) {
  const client = useQueryClient();
  const now = useNow();
  const changed = () => sourcesChanged(client);
  const path = { path: { name: s.name } };
  const run = useMutation({
    mutationFn: (how: { kind: "whole" | "changes" | "dry"; accept?: boolean }) =>
      ask(api.POST("/api/v1/directory/sources/{name}/runs", { params: path, body: how })),
    onSuccess: changed,
  });
  const stop = useMutation({
    mutationFn: () => ask(api.DELETE("/api/v1/directory/sources/{name}/runs", { params: path })),
    onSuccess: changed,
  });
  const pause = useMutation({
    mutationFn: (paused: boolean) =>
      ask(api.PUT("/api/v1/directory/sources/{name}/pause", { params: path, body: { paused } })),
    onSuccess: changed,
  });
  const last = s.last;
  const busy = last?.state === "waiting" || last?.state === "running";
  const error = run.error ?? stop.error ?? pause.error;
  return (
    <article aria-label={s.name}>
      <h2>{s.name}</h2>
      <p className="text-ink-2">
        {s.url}
        {s.start_tls && ", TLS within"}, below {s.base}
        {s.bind ? `, as ${s.bind}` : ", without signing in"}; {s.preset} schema; the removal limit
        holds at {s.removal_limit || 20} %.
      </p>
      <p>
        Holds {count(s.users, "user")}, {count(s.groups, "group")} and{" "}
        {count(s.machines, "machine")}.{" "}
        {s.paused
          ? "Paused: nothing is taken in."
          : s.next &&
            (Date.parse(s.next) <= now
              ? "The next pass is due."
              : `The next pass is due in ${wait(Date.parse(s.next) - now)}.`)}
      </p>
      {last ? (
        <p className="mt-1">
          {words[last.kind]}: <RunState of={last} />
          {busy
            ? `, ${count(last.read, "entry")} read so far`
            : ` ${ago(last.ended ?? last.at, now)}: ${last.says}.`}
        </p>
      ) : (
        <p className="mt-1 text-ink-2">There has been no pass yet.</p>
      )}
      {last?.notes?.map((n) => (
        <p key={n} className="pl-5 text-ink-2">
          {n}
        </p>
      ))}
      {last && last.fix && (last.state === "failed" || last.state === "held") && (
        <p className="pl-5">
          What to do:{" "}
          {last.state === "held"
            ? "look at the directory; if it is meant, apply it nevertheless."
            : `${last.fix}.`}
        </p>
      )}
      {s.sign_in && <p>Its people may sign in here.</p>}
      {s.list_under && <ListedQueues source={s.name} under={s.list_under} />}
      <div className="mt-2 flex flex-wrap gap-2">
        {busy ? (
          <Button onClick={() => stop.mutate()}>Stop this pass</Button>
        ) : (
          <>
            {s.paused && (
              <Button kind="main" onClick={() => pause.mutate(false)}>
                Read it from now on
              </Button>
            )}
            <Button onClick={() => run.mutate({ kind: "dry" })}>Dry pass</Button>
            {!s.paused && (
              <Button onClick={() => run.mutate({ kind: "changes" })}>Read changes now</Button>
            )}
            {!s.paused && (
              <Button onClick={() => run.mutate({ kind: "whole" })}>Read everything now</Button>
            )}
            {last?.state === "held" && (
              <Button onClick={() => run.mutate({ kind: "whole", accept: true })}>
                Apply it nevertheless
              </Button>
            )}
            {!s.paused && <Button onClick={() => pause.mutate(true)}>Pause</Button>}
          </>
        )}
      </div>
      {error && <ProblemNotice title="That was not done" error={error} />}
    </article>
  );
}

/** How the printer entries in a directory stand. */
function ListedQueues({ source, under }: { source: string; under: string }) {
  const listings = useQuery(listingsQuery());
  const now = useNow();
  const l = listings.data?.find((x) => x.source === source);
  if (!l) return <p>Queues that are listed are to be written below {under}.</p>;
  return (
    <div>
      <p>
        <Mark of={l.code ? "no" : l.refused.length > 0 ? "warning" : "yes"}>
          Printer entries, {ago(l.at, now)}: {l.says}
          {l.fix && `; ${l.fix}`}.
        </Mark>
      </p>
      {l.refused.map((r) => (
        <p key={r} className="pl-5 text-ink-2">
          Not written: {r}.
        </p>
      ))}
    </div>
  );
}

const words = { whole: "Whole pass", changes: "Pass for changes", dry: "Dry pass" };

function wait(ms: number): string {
  const s = Math.ceil(ms / 1000);
  return s < 90 ? `${s} s` : s < 5400 ? `${Math.round(s / 60)} min` : `${Math.round(s / 3600)} h`;
}
