type Taken = { through: string; device: string | null; server: string | null; set?: string | null };

/** 1 queue, 2 queues, 1 directory, 2 directories. */
export function count(n: number, one: string): string {
  if (n === 1) return `1 ${one}`;
  if (one === "person") return `${n} people`;
  if (one.endsWith("s")) return `${n} ${one}es`;
  return one.endsWith("y") ? `${n} ${one.slice(0, -1)}ies` : `${n} ${one}s`;
}

/** What a path leads through, in words. */
export function through(t: Taken): string {
  if (t.server && t.set) return `server ${t.server} of set ${t.set}`;
  if (t.server) return `server ${t.server}`;
  if (t.device) return `device ${t.device}`;
  return t.through;
}

/** a, b and c */
export function list(words: string[]): string {
  if (words.length < 2) return words.join("");
  return `${words.slice(0, -1).join(", ")} and ${words.at(-1)}`;
}
