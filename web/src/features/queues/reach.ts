import type { FoundQueue, Listing, Queue } from "../../api/client";

/** How one of the ways to people stands, and what it means for them. */
export type Standing = { mark: "yes" | "no" | "warning" | "idle"; says: string };

/** Whether people find a queue in directories, as far as these took its entry. */
export function listing(q: Queue, into: Listing[]): Standing {
  if (!q.listed) return { mark: "idle", says: "Not listed: nobody finds it in the directory." };
  if (into.length === 0)
    return {
      mark: "warning",
      says: "Marked to be listed, and no directory takes printer entries: say where, at the directory's sources.",
    };
  if (q.retired || q.given.state === "retired")
    return { mark: "idle", says: "Marked to be listed, and retired: its entry is taken out." };
  const refused = into.flatMap((l) =>
    l.refused
      .filter((r) => r.startsWith(`${q.name}:`))
      .map((r) => `${l.source}: ${r.slice(q.name.length + 2)}`),
  );
  if (refused.length > 0)
    return { mark: "no", says: `Marked to be listed, and not written: ${refused.join("; ")}.` };
  const broken = into.filter((l) => l.code);
  if (broken.length > 0)
    return {
      mark: "warning",
      says: `Marked to be listed; ${broken.map((l) => `${l.source}: ${l.says}`).join("; ")}.`,
    };
  return {
    mark: "yes",
    says: `Listed in ${into.map((l) => l.source).join(", ")}: people can find it there by name, place, model and colour.`,
  };
}

/** Where a queue is shared, as far as that was read. */
export function sharing(q: Queue, sets: Map<string, string[]>, found: FoundQueue[]): Standing {
  const there: string[] = [];
  const unknown: string[] = [];
  const not: string[] = [];
  for (const p of q.paths ?? []) {
    if (p.gateway) there.push("the gateway");
    for (const server of p.server ? [p.server] : (sets.get(p.set ?? "") ?? [])) {
      const remote = p.remote_name || q.name;
      const on = found.find((f) => f.server === server && f.name === remote);
      if (on) (on.shared === false ? not : there).push(server);
      else if (found.some((f) => f.server === server)) not.push(server);
      else unknown.push(server);
    }
  }
  if (there.length + not.length + unknown.length === 0)
    return {
      mark: "idle",
      says: "Shared nowhere: people reach it straight at its device, or not at all.",
    };
  const parts = [];
  if (there.length > 0)
    parts.push(`Shared on ${there.join(", ")}: people can connect to it by its address.`);
  if (not.length > 0) parts.push(`Not there, or not shared, on ${not.join(", ")}.`);
  if (unknown.length > 0) parts.push(`What ${unknown.join(", ")} shares is not known.`);
  return {
    mark:
      not.length > 0 ? (there.length > 0 ? "warning" : "no") : there.length > 0 ? "yes" : "idle",
    says: parts.join(" "),
  };
}
