import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { draftChanged } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { dependsQuery } from "../../api/stock";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Fact, Facts } from "../../ui/Facts";
import { Mark } from "../../ui/Mark";
import { MovedList } from "./MovedList";
import { Waves } from "./Waves";

const shown = 60;

/** What still leads to a server, who used it lately, and the way off it. Asked for when it is opened. */
export function Leaving({ server }: { server: string }) {
  const client = useQueryClient();
  const now = useNow();
  const [open, setOpen] = useState(false);
  const depends = useQuery({ ...dependsQuery(server), enabled: open });
  const d = depends.data;
  const move = useMutation({
    mutationFn: (dry: boolean) =>
      ask(api.POST("/api/v1/draft/move", { body: { server, to: "device", dry } })),
    onSuccess: (_, dry) => (dry ? undefined : draftChanged(client)),
  });
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        What depends on it, and leaving it
      </summary>
      {open && depends.isPending && (
        <p role="status" className="text-ink-3">
          Reading its list of ended jobs…
        </p>
      )}
      {depends.error && <ProblemNotice title="It cannot be told" error={depends.error} />}
      {d && (
        <div className="mt-2 flex flex-col gap-3">
          <p>
            <Mark of={d.unused ? "yes" : "warning"}>{d.says}</Mark>
          </p>
          {d.queues.length > 0 && (
            <Facts>
              {d.sets.length > 0 && <Fact name="Server sets">{d.sets.join(", ")}</Fact>}
              <Fact name="Queues">
                {d.queues.slice(0, shown).map((q, i) => (
                  <span key={q}>
                    {i > 0 && ", "}
                    <Link to={`/queues?queue=${encodeURIComponent(q)}`}>{q}</Link>
                  </span>
                ))}
                {d.queues.length > shown && ` and ${d.queues.length - shown} more`}
              </Fact>
              <Fact name="Only this way">
                {d.only.slice(0, shown).join(", ") || "none: all have another path"}
                {d.only.length > shown && ` and ${d.only.length - shown} more`}
              </Fact>
              <Fact name="Grants">{d.grants.join(", ") || "none"}</Fact>
              <Fact name="People">
                {d.people === 0
                  ? "nobody would miss a queue just now"
                  : `${count(d.people, "person")} would lose a queue, or find it stranded, were it gone just now`}
              </Fact>
            </Facts>
          )}
          {d.queues.length > 0 && <Waves server={server} />}
          {d.queues.length > 0 && (
            <div>
              <p className="font-medium">All at once, straight to their devices</p>
              <div className="flex flex-wrap items-center gap-2">
                <Button disabled={move.isPending} onClick={() => move.mutate(true)}>
                  Say how they would go straight to their devices
                </Button>
                <Button disabled={move.isPending} onClick={() => move.mutate(false)}>
                  Lead them there, in the draft
                </Button>
              </div>
              {move.error && <ProblemNotice title="Nothing was moved" error={move.error} />}
              {move.data && (
                <>
                  <MovedList of={move.data.moved} />
                  {move.variables === false && (
                    <p className="mt-1">
                      They are in your draft. <Link to="/draft#rehearse">Rehearse it</Link>: nobody
                      should lose anything.
                    </p>
                  )}
                </>
              )}
            </div>
          )}
          <div>
            <p>Late use: {d.told}.</p>
            {d.lately.length > 0 && (
              <table aria-label="Late use">
                <thead>
                  <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
                    {["Queue", "Who", "From", "Jobs", "Last"].map((h) => (
                      <th key={h} scope="col" className="px-2 py-1 font-medium">
                        {h}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  {d.lately.map((u, i) => (
                    <tr key={i} className="border-b border-rule">
                      <td className="px-2 py-0.5">{u.queue}</td>
                      <td className="px-2">
                        {u.owner ? (
                          <Link to={`/lineup?user=${encodeURIComponent(u.owner)}`}>{u.owner}</Link>
                        ) : (
                          "not told"
                        )}
                      </td>
                      <td className="px-2">{u.from}</td>
                      <td className="px-2">{u.jobs}</td>
                      <td className="px-2">{u.last ? ago(u.last, now) : "not told"}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
          </div>
        </div>
      )}
    </details>
  );
}
