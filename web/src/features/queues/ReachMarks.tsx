import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Queue } from "../../api/client";
import { Mark } from "../../ui/Mark";
import { listingsQuery } from "../../api/directory";

/** Three different things, each with what it means for people: shared, listed, delivered. */
export function ReachMarks({ queue: q }: { queue: Queue }) {
  const listings = useQuery(listingsQuery());
  const served = (q.paths ?? []).filter((p) => p.server || p.set).map((p) => p.server ?? p.set);
  const gateway = (q.paths ?? []).some((p) => p.gateway);
  const shared = [...served, ...(gateway ? ["the gateway"] : [])];
  const into = listings.data ?? [];
  const refused = into.flatMap((l) =>
    l.refused
      .filter((r) => r.startsWith(`${q.name}:`))
      .map((r) => `${l.source}: ${r.slice(q.name.length + 2)}`),
  );
  const broken = into.filter((l) => l.code);
  const listed = () => {
    if (!q.listed) return <Mark of="idle">Not listed: nobody finds it in the directory.</Mark>;
    if (into.length === 0)
      return (
        <Mark of="warning">
          Marked to be listed, and no directory takes printer entries: say where under{" "}
          <Link to="/directory?show=sources">sources</Link>.
        </Mark>
      );
    if (refused.length > 0)
      return <Mark of="no">Marked to be listed, and not written: {refused.join("; ")}.</Mark>;
    if (broken.length > 0)
      return (
        <Mark of="warning">
          Marked to be listed; {broken.map((l) => `${l.source}: ${l.says}`).join("; ")}.
        </Mark>
      );
    return (
      <Mark of="yes">
        Listed in {into.map((l) => l.source).join(", ")}: people can find it there by name, place,
        model and colour.
      </Mark>
    );
  };
  return (
    <ul aria-label="How people come to it" className="flex flex-col gap-0.5">
      <li>
        {shared.length > 0 ? (
          <Mark of="yes">
            Shared on {shared.join(", ")}: people can connect to it by its address.
          </Mark>
        ) : (
          <Mark of="idle">
            Shared nowhere: people reach it straight at its device, or not at all.
          </Mark>
        )}
      </li>
      <li>{listed()}</li>
      <li>
        {q.grants.length > 0 ? (
          <Mark of="yes">
            Delivered by {q.grants.join(", ")}: people whom these reach have it, or may pick it,
            without searching.
          </Mark>
        ) : (
          <Mark of="no">Delivered to nobody: no grant selects it.</Mark>
        )}
      </li>
    </ul>
  );
}
