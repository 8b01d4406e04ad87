import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { MatrixRow } from "../../api/client";
import { matrixQuery } from "../../api/kept";
import { count, list } from "../../lib/words";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";

/** Which queue is on which server, and with which driver on which platform, with the holes. */
export function Matrix() {
  const [find, setFind] = useState("");
  const [holes, setHoles] = useState(false);
  const matrix = useQuery(matrixQuery(find.trim(), holes));
  const m = matrix.data;
  const unread = m?.servers.filter((s) => s.unread > 0).map((s) => s.name) ?? [];
  const notRead = unread.length > 0 && `; not read: ${list(unread)}`;
  return (
    <div className="mt-3">
      <div className="mb-2 flex flex-wrap items-end gap-4">
        <Field
          label="Find"
          value={find}
          placeholder="a queue’s name"
          onChange={(e) => setFind(e.target.value)}
        />
        <label className="flex min-h-[32px] items-center gap-2">
          <input type="checkbox" checked={holes} onChange={(e) => setHoles(e.target.checked)} />
          Only with holes
        </label>
        {m && (
          <p role="status" className="pb-1">
            {m.holes > 0 ? (
              <Mark of="warning">
                {count(m.holes, "queue")} with a hole{notRead}
              </Mark>
            ) : unread.length > 0 ? (
              <Mark of="silent">No hole on the servers that were read{notRead}</Mark>
            ) : (
              <Mark of="yes">No hole: every queue is where it is wanted</Mark>
            )}
          </p>
        )}
      </div>
      {matrix.isPending && <Waiting what="the matrix" />}
      {matrix.error && <Failure title="The matrix cannot be shown" problem={matrix.error} />}
      {m && m.rows.length === 0 && (
        <Empty title="No such queue leads through a print server">
          Here stands each queue against the print servers that it leads through, and against the
          platforms of the machines that receive it.
        </Empty>
      )}
      {m && m.rows.length > 0 && (
        <div className="overflow-x-auto">
          <table aria-label="Queues against servers and platforms">
            <thead>
              <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
                <th scope="col" className="px-2 py-1 font-medium">
                  Queue
                </th>
                {m.servers.map((s) => (
                  <th key={s.name} scope="col" className="px-2 py-1 font-medium">
                    <Link to={`/servers?server=${encodeURIComponent(s.name)}`}>{s.name}</Link>
                    {s.kept && <span className="block text-ink-3">kept</span>}
                  </th>
                ))}
                {m.platforms.map((p) => (
                  <th
                    key={p}
                    scope="col"
                    className="border-l border-rule px-2 py-1 font-medium first-of-type:border-0"
                  >
                    {p}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {m.rows.map((r) => (
                <Row key={r.queue} of={r} />
              ))}
            </tbody>
          </table>
        </div>
      )}
    </div>
  );
}

function Row({ of: r }: { of: MatrixRow }) {
  return (
    <tr className="border-b border-rule align-top">
      <th scope="row" className="px-2 py-1 text-left font-normal">
        <Link to={`/queues?queue=${encodeURIComponent(r.queue)}`}>{r.queue}</Link>
      </th>
      {r.servers.map((c, i) => (
        <td key={i} className="px-2 py-1">
          {c.state === "there" && (
            <>
              <Mark of="yes">there</Mark>
              {c.model && <span className="block text-ink-2">{c.model}</span>}
            </>
          )}
          {c.state === "missing" && <Mark of="no">missing</Mark>}
          {c.state === "unread" && <Mark of="silent">not read</Mark>}
        </td>
      ))}
      {r.platforms.map((c) => (
        <td key={c.platform} className="border-l border-rule px-2 py-1">
          {c.state === "none" ? (
            <Mark of={c.receive > 0 ? "no" : "idle"}>no driver</Mark>
          ) : c.state === "near" || c.state === "absent" ? (
            <Mark of={c.receive > 0 ? "warning" : "idle"}>{c.driver}, in no package</Mark>
          ) : (
            c.driver
          )}
          {c.receive > 0 && <span className="block text-ink-3">{c.receive} get it</span>}
        </td>
      ))}
    </tr>
  );
}
