import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { ServerView, SetView } from "../../api/client";
import { setsQuery } from "../../api/stock";
import { ago } from "../../lib/time";
import { useMay } from "../../parts/useMay";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";
import { dutyMark, dutyWord } from "../../parts/stock";
import { CompleteSet } from "./CompleteSet";
import { NewSet } from "./NewSet";

/** Each server set as a matrix: its queues down, its members across. */
export function Sets({ servers }: { servers: ServerView[] }) {
  const mayEdit = useMay("edit a draft");
  const sets = useQuery(setsQuery());
  if (sets.isPending) return <Waiting what="the sets" />;
  if (!sets.data) return <Failure title="The sets cannot be shown" problem={sets.error} />;
  return (
    <div className="mt-3 flex flex-col gap-8">
      {sets.data.length === 0 && (
        <Empty title="The estate has no server set">
          Servers that carry the same queues stand in a set: one waits for the other, or all share
          the people.
        </Empty>
      )}
      {sets.data.map((s) => (
        <Matrix key={s.name} set={s} mayEdit={mayEdit} />
      ))}
      {mayEdit && <NewSet servers={servers.filter((s) => s.in_estate)} />}
    </div>
  );
}

const styles = { standby: "one at a time, in this order", spread: "all share the people" } as const;

function Matrix({ set, mayEdit }: { set: SetView; mayEdit: boolean }) {
  const now = useNow();
  const [all, setAll] = useState(false);
  const rows = set.rows.filter((r) => all || !r.same);
  const same = set.rows.length - set.differ;
  return (
    <section aria-label={`Set ${set.name}`}>
      <div className="flex flex-wrap items-baseline gap-x-5">
        <h2>{set.title || set.name}</h2>
        <p className="text-ink-2">
          {set.style}: {styles[set.style]}
        </p>
        {set.missing > 0 ? (
          <Mark of="warning">{count(set.missing, "queue")} relied on and missing on a member</Mark>
        ) : set.differ > 0 ? (
          <Mark of="behind">
            {set.differ} of {count(set.rows.length, "queue")} not the same everywhere
          </Mark>
        ) : (
          <Mark of="yes">
            {count(set.rows.length, "queue")}, the same on every member that was read
          </Mark>
        )}
        {same > 0 && set.differ > 0 && (
          <button type="button" className="min-h-[24px] underline" onClick={() => setAll(!all)}>
            {all ? `hide the ${same} that are the same` : `show the ${same} that are the same, too`}
          </button>
        )}
        {set.differ === 0 && (
          <button type="button" className="min-h-[24px] underline" onClick={() => setAll(!all)}>
            {all ? "hide them" : "show them"}
          </button>
        )}
      </div>
      <Table
        label={`Queues of the set ${set.name}`}
        heads={["Queue", "Relied on", ...set.members.map((m) => m.name)]}
      >
        <tr className="border-b border-rule-strong align-top text-ink-2">
          <th scope="row" colSpan={2} className="px-2 py-1 text-left font-normal">
            Members
          </th>
          {set.members.map((m) => (
            <td key={m.name} className="px-2 py-1">
              <Mark of={dutyMark(m.duty, m.share)}>{dutyWord(m.duty, m.share)}</Mark>;{" "}
              {m.health === "up"
                ? "answers"
                : m.health === "down"
                  ? "does not answer"
                  : "never probed with success"}
              <br />
              {count(m.queues, "queue")}, {m.read ? `read ${ago(m.read, now)}` : "never read"};{" "}
              <Link to={`/servers?server=${encodeURIComponent(m.name)}`}>
                open<span className="sr-only"> {m.name}</span>
              </Link>
            </td>
          ))}
        </tr>
        {rows.map((r) => (
          <tr key={r.queue} className="border-b border-rule align-top">
            <th scope="row" className="px-2 py-1 text-left font-medium">
              {r.queue}
            </th>
            <td className="px-2 py-1">{r.relied ? "yes" : "no"}</td>
            {r.cells.map((c, i) => (
              <td key={set.members[i]?.name ?? i} className="px-2 py-1">
                {c.state === "missing" ? (
                  <Mark of={r.relied ? "no" : "minus"}>missing</Mark>
                ) : c.state === "unread" ? (
                  <Mark of="idle">not read</Mark>
                ) : (
                  <Mark of={c.says.length > 0 ? "behind" : "yes"}>{c.model || "there"}</Mark>
                )}
                {c.says.map((s) => (
                  <p key={s} className="text-ink-2">
                    {s}
                  </p>
                ))}
              </td>
            ))}
          </tr>
        ))}
      </Table>
      {mayEdit && set.differ > 0 && <CompleteSet set={set.name} />}
    </section>
  );
}
