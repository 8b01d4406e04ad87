import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { count } from "../../lib/words";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";

const shown = 200;

/** Who has a queue now, or had it on a day; days end at midnight by this machine's clock. */
const holdersQuery = (queue: string, day: string) =>
  queryOptions({
    queryKey: ["lineup", "holders", queue, day],
    queryFn: ({ signal }) => {
      const begin = day ? new Date(`${day}T00:00:00`) : undefined;
      const end = begin && new Date(Math.min(begin.getTime() + 86_400_000, Date.now()));
      return ask(
        api.GET("/api/v1/queues/{name}/holders", {
          params: {
            path: { name: queue },
            query: {
              limit: shown,
              ...(begin && end && { from: begin.toISOString(), until: end.toISOString() }),
            },
          },
          signal,
        }),
      );
    },
    retry: false,
  });

/** Who has a queue: now, or on a day of the past. Asked for when it is opened. */
export function HoldersSection({ queue }: { queue: string }) {
  const [open, setOpen] = useState(false);
  const [day, setDay] = useState("");
  const holders = useQuery({ ...holdersQuery(queue, day), enabled: open });
  const r = holders.data;
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">Who has it</summary>
      <label className="mt-1 flex items-center gap-2">
        On the day
        <input
          type="date"
          className={inputLook}
          value={day}
          onChange={(e) => setDay(e.target.value)}
        />
        <span className="text-ink-3">now, where none is chosen</span>
      </label>
      {open && holders.isPending && (
        <p role="status" className="text-ink-3">
          Looking at everybody…
        </p>
      )}
      {holders.error && <ProblemNotice title="It cannot be answered" error={holders.error} />}
      {r && (
        <>
          <p className="mt-2">
            <strong className="font-medium">
              {r.have.people} of {count(r.looked.people, "person")} and {r.have.machines} of{" "}
              {count(r.looked.machines, "machine")}
            </strong>
            , by revision {r.revisions.join(", ")}. Who is not listed{" "}
            {day ? "did not have" : "does not have"} it. By its access rules{" "}
            {count(r.permitted.people, "person")} may print to it.
          </p>
          <ul className="mt-1">
            {r.holders.map((h) => (
              <li
                key={`${h.kind}/${h.name}`}
                className="flex flex-wrap gap-x-3 border-b border-rule py-0.5"
              >
                <Link
                  className="w-44"
                  to={`/lineup?${h.kind === "user" ? "user" : "machine"}=${encodeURIComponent(h.name)}`}
                >
                  {h.name}
                </Link>
                <Mark of={h.effect} />
                <span className="text-ink-2">
                  by {h.grants.join(", ")}
                  {!h.always && ", at some times or places"}
                </span>
              </li>
            ))}
          </ul>
          {r.next && (
            <p className="text-ink-2">
              and {r.total - r.holders.length} more:{" "}
              <code className="font-mono">cirque who {queue}</code>.
            </p>
          )}
        </>
      )}
    </details>
  );
}
