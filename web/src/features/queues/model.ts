import type { Queue } from "../../api/client";

export type State = "open" | "paused" | "retired";

export function stateOf(q: Queue): State {
  return q.retired ? "retired" : q.paused ? "paused" : "open";
}

export type Filter = { word: string; location: string; label: string; state: string };

/** Narrows queues: every word typed must stand somewhere in the row. */
export function narrow(queues: Queue[], f: Filter): Queue[] {
  const words = f.word.toLowerCase().split(/\s+/).filter(Boolean);
  return queues.filter((q) => {
    const text = [
      q.name,
      q.title,
      q.location,
      q.note,
      ...(q.labels ?? []),
      ...q.through,
      ...q.grants,
      ...(q.devices ?? []),
      ...(q.formerly ?? []),
    ]
      .join(" ")
      .toLowerCase();
    return (
      words.every((w) => text.includes(w)) &&
      (!f.location ||
        q.location === f.location ||
        Boolean(q.location?.startsWith(`${f.location}/`))) &&
      (!f.label || Boolean(q.labels?.includes(f.label))) &&
      (!f.state || stateOf(q) === f.state)
    );
  });
}

export function sites(queues: Queue[]): string[] {
  return [
    ...new Set(queues.map((q) => q.location?.split("/")[0]).filter((s): s is string => Boolean(s))),
  ].sort();
}

export function labels(queues: Queue[]): string[] {
  return [...new Set(queues.flatMap((q) => q.labels ?? []))].sort();
}
