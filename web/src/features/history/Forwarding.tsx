import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { stamp } from "../../lib/time";
import { Mark } from "../../ui/Mark";

const forwardingQuery = () =>
  queryOptions({
    queryKey: ["events", "forwarding"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/audit/forwarding", { signal })),
    refetchInterval: 10_000,
  });

/** Where else the audit stands, and how far it has come there. */
export function Forwarding() {
  const f = useQuery(forwardingQuery()).data;
  if (!f) return null;
  if (!f.target)
    return (
      <p className="mb-3 text-ink-2">
        It stands here alone; an owner has it sent to a log server with the setting audit.
      </p>
    );
  const waits =
    f.waiting === 1
      ? "One entry waits"
      : `${f.waiting >= 1000 ? "1000 entries or more" : f.waiting} wait`;
  const way = f.waiting === 1 ? "one entry is" : `${f.waiting} entries are`;
  return (
    <p className="mb-3">
      {f.code ? (
        <Mark of="failing">
          It cannot be sent to {f.target} since {f.since && stamp(f.since)}: {f.says}; {f.fix}.{" "}
          {waits}.
        </Mark>
      ) : (
        <Mark of="yes">
          It is sent to {f.target}.{" "}
          {f.at ? `What was written before ${stamp(f.at)} has arrived` : "Nothing has arrived yet"}
          {f.waiting > 0 ? `; ${way} on the way.` : "."}
        </Mark>
      )}
    </p>
  );
}
