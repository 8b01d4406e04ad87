import { queryOptions, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, askAll } from "../../api/client";
import { count } from "../../lib/words";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";

const unreachedQuery = () =>
  queryOptions({
    queryKey: ["endpoints", "unreached"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/fleet/unreached", { params: { query }, signal })),
  });

const shown = 200;

/** Machines that receive queues and from which no agent has reported; with what does reach each. */
export function UnreachedPage() {
  const list = useQuery(unreachedQuery());
  if (list.isPending) return <Waiting what="the machines without an agent" />;
  if (!list.data) return <Failure title="They cannot be shown" problem={list.error} />;
  if (list.data.length === 0)
    return (
      <div className="mt-3">
        <Empty title="Every machine that receives a queue has an agent">
          Machines that the directory or the estate knows, and from which no agent has ever
          reported, would stand here with another way to reach them.
        </Empty>
      </div>
    );
  return (
    <section aria-label="Without an agent" className="mt-3">
      <p className="text-ink-2">
        {count(list.data.length, "machine")} receive a queue, and no agent has ever reported from
        them: what is decided for them arrives nowhere.
      </p>
      <Table
        label="Machines without an agent"
        heads={["Machine", "Platform", "Location", "Queues", "Why", "What reaches it"]}
      >
        {list.data.slice(0, shown).map((u) => (
          <tr key={u.machine} className="border-b border-rule align-top">
            <td className="px-2 py-1">
              <Link
                to={`/lineup?machine=${encodeURIComponent(u.machine)}${u.platform ? `&platform=${encodeURIComponent(u.platform)}` : ""}`}
              >
                {u.machine}
              </Link>
            </td>
            <td className="px-2 py-1">{u.platform || "not known"}</td>
            <td className="px-2 py-1">{u.location || "not known"}</td>
            <td className="px-2 py-1">
              {u.queues.slice(0, 4).join(", ")}
              {u.queues.length > 4 && ` and ${u.queues.length - 4} more`}
            </td>
            <td className="px-2 py-1">{u.why}</td>
            <td className="px-2 py-1">{u.instead}</td>
          </tr>
        ))}
      </Table>
      {list.data.length > shown && (
        <p>
          and {list.data.length - shown} more:{" "}
          <code className="font-mono">cirque endpoint unreached</code>.
        </p>
      )}
    </section>
  );
}
