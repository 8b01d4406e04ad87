import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, type KeptRow } from "../../api/client";
import { keptServerQuery, whyOnServerQuery } from "../../api/kept";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useMay } from "../../parts/useMay";
import { Button } from "../../ui/Button";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { keptMarks, keptWords, rowMarks, rowWords } from "./keptModel";

const shown = 100;

/** What the estate wants on a server that Cirque keeps, beside what its agent found, queue by queue. */
export function KeptSection({ name }: { name: string }) {
  const client = useQueryClient();
  const now = useNow();
  const [all, setAll] = useState(false);
  const sheet = useQuery(keptServerQuery(name));
  const mayPublish = useMay("publish the estate");
  const take = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/kept-servers/{name}/takes", { params: { path: { name } }, body: {} })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["kept"] }),
  });
  const s = sheet.data;
  if (sheet.error)
    return <ProblemNotice title="What it is to have cannot be shown" error={sheet.error} />;
  if (!s) return <p className="text-ink-3">Looking what the estate wants on it…</p>;
  const inTheWay = s.queues.filter((q) => q.state === "in-the-way");
  const open = s.queues.filter((q) => q.state !== "as-wanted" && q.state !== "other");
  const rows = all ? s.queues : open;
  return (
    <section aria-label="Kept by Cirque" className="border-l-2 border-accent pl-3">
      <h3 className="font-medium">Kept by Cirque</h3>
      <p>
        <Mark of={keptMarks[s.state]}>
          {keptWords[s.state]}: {s.says}.
        </Mark>
      </p>
      <p className="text-ink-2">
        The agent on {s.machine}
        {s.last_seen
          ? `, last heard of ${ago(s.last_seen, now)}, makes and holds its shared queues`
          : " has not been heard of yet"}
        ; drivers for {s.platform}.
      </p>
      {s.points_of_server.map((p) => (
        <p key={p.says}>
          <Mark of="warning">
            {p.says}; {p.fix}.
          </Mark>
        </p>
      ))}
      {s.passed.map((p) => (
        <p key={p.name}>
          <Mark of={p.left > 0 ? "behind" : "yes"}>
            {p.name}: {count(p.jobs, "job")} handed on to {p.to}
            {p.left > 0 && `, ${p.left} still on the way or being printed`}
            {p.says && `: ${p.says}`}.
          </Mark>
        </p>
      ))}
      {inTheWay.length > 0 && mayPublish && (
        <div className="my-2">
          <Button disabled={take.isPending} onClick={() => take.mutate()}>
            Make {count(inTheWay.length, "queue")} in the way Cirque’s own
          </Button>
          <p className="text-ink-2">
            What is there becomes as the estate wants it; jobs that wait there stay.
          </p>
          {take.error && <ProblemNotice title="Nothing was taken over" error={take.error} />}
          {take.data && <p role="status">Its agent takes over {take.data.queues.join(", ")}.</p>}
        </div>
      )}
      <ul aria-label="Queues that it is to have">
        {rows.slice(0, shown).map((q) => (
          <Row key={q.name} server={name} of={q} />
        ))}
      </ul>
      {rows.length > shown && <p>and {rows.length - shown} more</p>}
      {s.queues.length > open.length && (
        <p className="mt-1">
          <Button onClick={() => setAll(!all)}>
            {all ? "Only what is not as wanted" : `All ${count(s.queues.length, "queue")}`}
          </Button>
        </p>
      )}
    </section>
  );
}

function Row({ server, of: q }: { server: string; of: KeptRow }) {
  const [open, setOpen] = useState(false);
  const why = useQuery({ ...whyOnServerQuery(server, q.queue ?? ""), enabled: open && !!q.queue });
  return (
    <li className="border-b border-rule py-1">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <Exact text={q.name} />
        <Mark of={rowMarks[q.state]}>{rowWords[q.state]}</Mark>
        {q.closed && <Mark of="minus">{q.closed}</Mark>}
        {q.queue && (
          <Link to={`/queues?queue=${encodeURIComponent(q.queue)}`} className="ml-auto">
            {q.queue}
          </Link>
        )}
      </div>
      {q.says && <p>{q.says}</p>}
      <p className="text-ink-2">
        {q.driver && (
          <>
            <Exact text={q.driver} />
            {"; "}
          </>
        )}
        for {q.people}
        {q.units && `; fitted with ${q.units}`}
      </p>
      {q.points.map((p) => (
        <p key={p.says}>
          <Mark of="warning">
            {p.says}; {p.fix}.
          </Mark>
        </p>
      ))}
      {q.queue && (
        <details onToggle={(e) => setOpen(e.currentTarget.open)}>
          <summary className="min-h-[24px] cursor-pointer text-ink-2">
            Why {q.name} is to be there
          </summary>
          {why.error && <ProblemNotice title="It cannot be told" error={why.error} />}
          <ul className="list-disc pl-5">
            {why.data?.says.map((s) => (
              <li key={s}>{s}</li>
            ))}
          </ul>
        </details>
      )}
    </li>
  );
}
