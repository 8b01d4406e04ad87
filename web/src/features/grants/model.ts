import type { Finding, Grant } from "../../api/client";
import { hours } from "../../lib/hours";
import { list } from "../../lib/words";

export const effects = [
  { value: "place", label: "Place", detail: "Installed for them." },
  { value: "offer", label: "Offer", detail: "Theirs to pick up." },
  { value: "withhold", label: "Withhold", detail: "Kept away, whatever else gives it." },
] as const;

/** Who, where and on what, in one line. */
export function whom(g: Grant): string {
  const parts = [g.to ? g.to.join(" or ") : "whoever is there, also nobody"];
  if (g.on) parts.push(`on ${g.on.join(" or ")}`);
  if (g.at) parts.push(`at ${g.at.join(" or ")}`);
  if (g.sessions) parts.push(`in ${g.sessions.join(" or ")} sessions`);
  if (g.platforms) parts.push(`on ${g.platforms.join(" or ")}`);
  if (g.open) parts.push(g.open.map(hours).join(" or "));
  if (g.until) parts.push(`until ${g.until}`);
  if (g.except) parts.push(`except ${g.except.join(" or ")}`);
  return parts.join(", ");
}

export type Filter = { word: string; effect: string; flag: string };

export type Row = Grant & { state: string; findings: Finding[] };

/** Every word typed must stand somewhere in the grant. */
export function narrow(rows: Row[], f: Filter): Row[] {
  const words = f.word.toLowerCase().split(/\s+/).filter(Boolean);
  return rows.filter((g) => {
    const text = [g.name, g.title, g.note, g.effect, ...g.queues, whom(g)].join(" ").toLowerCase();
    return (
      words.every((w) => text.includes(w)) &&
      (!f.effect || g.effect === f.effect) &&
      (!f.flag || (f.flag === "changed" ? g.state !== "" : g.findings.length > 0))
    );
  });
}

/** Whether a text says when something ends: a day, or a time with its offset. */
export function isEnd(t: string): boolean {
  return (
    /^\d{4}-\d\d-\d\d(T\d\d:\d\d:\d\d(Z|[+-]\d\d:\d\d))?$/.test(t) && !Number.isNaN(Date.parse(t))
  );
}

/** Takes empty lists and zeros out: a key that says nothing is left out. */
export function tidy(g: Grant): Grant {
  return Object.fromEntries(
    Object.entries(g).filter(
      ([k, v]) =>
        k === "name" ||
        k === "queues" ||
        (!(Array.isArray(v) && v.length === 0) &&
          v !== "" &&
          v !== 0 &&
          v !== false &&
          v !== undefined),
    ),
  ) as Grant;
}

/** What is still missing before a grant can be kept. */
export function gaps(g: Grant, taken: boolean): string[] {
  const out: string[] = [];
  if (!g.name) out.push("a name");
  else if (!/^[a-z0-9][a-z0-9._-]{0,62}$/.test(g.name))
    out.push("a name of lower-case letters, digits, dots, dashes and underscores");
  else if (taken) out.push("another name: this one is taken");
  if (g.queues.length === 0) out.push("at least one queue");
  return out;
}

/** What a grant means for everybody, spelled out. */
export function warning(g: Grant): string | null {
  if (g.effect === "withhold") return null;
  const narrowed = g.at || g.on || g.sessions || g.platforms || g.open;
  if (!g.to && !narrowed)
    return "It has no condition: everybody receives it everywhere, also with nobody signed in.";
  if (g.to?.includes("everyone"))
    return narrowed
      ? "Everyone means all people, wherever the rest holds."
      : "Everyone means all people, everywhere, also those whom the directory does not know.";
  if (g.at?.some((s) => s === "range:0.0.0.0-255.255.255.255" || s === "subnet:0.0.0.0/0"))
    return "This range holds every address.";
  return null;
}

export function sentenceList(words: string[] | undefined, none: string): string {
  return words && words.length > 0 ? list(words) : none;
}
