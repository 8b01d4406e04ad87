import type { Why } from "../../api/client";

/** Where everything of a reasoning's drawing stands: context, grants, queue, paths, ends, from left to right. */
export type Box = {
  x: number;
  y: number;
  w: number;
  h: number;
  title: string;
  note: string;
  state: "on" | "off" | "bad";
};
export type Line = { from: [number, number]; to: [number, number]; state: "on" | "off" | "bad" };
export type Drawing = {
  width: number;
  height: number;
  boxes: Box[];
  lines: Line[];
  heads: { x: number; text: string }[];
};

const columns = {
  context: { x: 0, w: 170 },
  grant: { x: 220, w: 220 },
  queue: { x: 490, w: 170 },
  path: { x: 710, w: 180 },
  end: { x: 940, w: 190 },
};
const high = 46;
const gap = 14;
const top = 26;
const words: Record<string, string> = {
  to: "people",
  on: "machine",
  at: "place",
  sessions: "session",
  platforms: "platform",
  open: "hours",
  except: "exception",
};

/** Cuts a text to what fits into a box. */
export function fit(text: string, width: number): string {
  const most = Math.floor((width - 16) / 6.6);
  return text.length <= most ? text : `${text.slice(0, most - 1)}…`;
}

export function draw(why: Why): Drawing {
  const rows = Math.max(1, why.grants.length, why.paths.length);
  const height = top + rows * (high + gap);
  const middle = top + (rows * (high + gap) - gap - high) / 2;
  const spread = (n: number, i: number) => top + ((rows - n) * (high + gap)) / 2 + i * (high + gap);
  const boxes: Box[] = [];
  const lines: Line[] = [];
  const put = (
    c: { x: number; w: number },
    y: number,
    title: string,
    note: string,
    state: Box["state"],
  ) => boxes.push({ ...c, y, h: high, title, note, state });
  const line = (
    a: { x: number; w: number },
    y1: number,
    b: { x: number },
    y2: number,
    state: Line["state"],
  ) => lines.push({ from: [a.x + a.w, y1 + high / 2], to: [b.x, y2 + high / 2], state });
  const who = why.context.user ?? "nobody signed in";
  put(columns.context, middle, who, why.context.location ?? "location unknown", "on");
  const permitted = !why.access || why.access.permitted;
  const reached = why.grants.some((g) => g.matches);
  put(
    columns.queue,
    middle,
    why.queue,
    permitted ? why.reason : "not permitted",
    why.present ? "on" : reached || !permitted ? "bad" : "off",
  );
  why.grants.forEach((g, i) => {
    const y = spread(why.grants.length, i);
    const failed = g.conditions.filter((c) => !c.holds).map((c) => words[c.kind] ?? c.kind);
    const state =
      !g.matches || (g.effect !== "withhold" && !g.counts)
        ? "off"
        : g.effect === "withhold"
          ? "bad"
          : "on";
    put(
      columns.grant,
      y,
      g.grant,
      g.matches
        ? g.effect === "withhold"
          ? "withholds"
          : g.counts
            ? `${g.effect}s: all holds`
            : "others are nearer"
        : `fails by ${failed.join(", ")}`,
      state,
    );
    line(columns.context, middle, columns.grant, y, state);
    line(columns.grant, y, columns.queue, middle, state);
  });
  if (why.grants.length === 0) put(columns.grant, middle, "no grant", "nobody receives it", "bad");
  why.paths.forEach((p, i) => {
    const y = spread(why.paths.length, i);
    const name = p.path.set
      ? `${p.path.set}: ${p.path.server}`
      : p.path.server
        ? `server ${p.path.server}`
        : p.path.device
          ? `device ${p.path.device}`
          : "gateway";
    const blocked = !p.open || p.driver === null || !p.usable;
    const note = !p.open
      ? `fails by ${p.conditions
          .filter((c) => !c.holds)
          .map((c) => words[c.kind] ?? c.kind)
          .join(", ")}`
      : p.driver === null
        ? "no driver fits"
        : !p.usable
          ? "not usable"
          : p.chosen
            ? why.present
              ? "taken"
              : "would be taken"
            : "not needed";
    const state = p.chosen && why.present ? "on" : blocked ? "bad" : "off";
    put(columns.path, y, name, note, state);
    line(columns.queue, middle, columns.path, y, state);
    put(columns.end, y, p.path.uri.replace(/^ipps?:\/\//, ""), p.driver ?? "", state);
    line(columns.path, y, columns.end, y, state);
  });
  if (why.paths.length === 0)
    put(columns.path, middle, "no path", "the queue leads nowhere", "bad");
  const heads = [
    ["context", columns.context],
    ["grants", columns.grant],
    ["queue", columns.queue],
    ["paths, in order", columns.path],
    ["where they end", columns.end],
  ] as const;
  return {
    width: columns.end.x + columns.end.w,
    height,
    boxes,
    lines,
    heads: heads.map(([text, c]) => ({ x: c.x, text })),
  };
}
