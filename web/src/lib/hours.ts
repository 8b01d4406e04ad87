/** Some hours of some days, as the estate has them. */
export type Window = { days?: string[]; from: string; to: string };

export const days = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];

export function hours(w: Window): string {
  return `${w.days ? w.days.join(" ") : "every day"} ${w.from}-${w.to}`;
}

/** Reads hours such as "mon-fri 08:00-12:00" or "08:00-12:00". */
export function readHours(text: string): Window | null {
  const m = /^(?:(.*?)\s+)?(\d\d:\d\d)\s*-\s*(\d\d:\d\d)$/.exec(text.trim().toLowerCase());
  if (!m?.[2] || !m[3]) return null;
  const w: Window = { from: m[2], to: m[3] };
  if (!m[1] || m[1] === "every day") return w;
  const picked: string[] = [];
  for (const word of m[1].split(/[\s,]+/)) {
    const [a, b] = word.split("-");
    const i = days.indexOf(a ?? "");
    const j = b === undefined ? i : days.indexOf(b);
    if (i < 0 || j < 0) return null;
    for (let d = i; ; d = (d + 1) % 7) {
      picked.push(days[d] as string);
      if (d === j) break;
    }
  }
  return { days: picked, ...w };
}

/** The half hours of a week: by day, whether each of 48 is open. */
export type Week = boolean[][];

const slot = (t: string) => Number(t.slice(0, 2)) * 2 + Number(t.slice(3)) / 30;
const clock = (i: number) =>
  `${String(Math.floor((i % 48) / 2)).padStart(2, "0")}:${i % 2 === 1 ? "30" : "00"}`;

/** Whether hours can be drawn: they begin and end at whole or half hours. */
export const drawable = (of: Window[]) =>
  of.every((w) => [w.from, w.to].every((t) => /^\d\d:[03]0$/.test(t)));

/** The week that windows open; what runs past midnight goes on in the next day. */
export function weekOf(of: Window[]): Week {
  const week: Week = days.map(() => Array.from({ length: 48 }, () => false));
  for (const w of of) {
    const from = Math.floor(slot(w.from));
    let to = Math.ceil(slot(w.to));
    if (to <= from) to += 48;
    for (const d of w.days ?? days) {
      const at = days.indexOf(d);
      for (let i = from; i < to && at >= 0; i++) {
        const row = week[(at + Math.floor(i / 48)) % 7];
        if (row) row[i % 48] = true;
      }
    }
  }
  return week;
}

/** The windows that a week is, days with the same hours together; none where it is never open. */
export function windowsOf(week: Week): Window[] {
  const by = new Map<string, string[]>();
  week.forEach((row, d) => {
    for (let i = 0; i < 48; i++) {
      if (!row[i]) continue;
      const from = i;
      while (i < 48 && row[i]) i++;
      const key = `${clock(from)}-${clock(i)}`;
      by.set(key, [...(by.get(key) ?? []), days[d] as string]);
    }
  });
  return [...by].map(([key, on]) => {
    const [from = "", to = ""] = key.split("-");
    return on.length === 7 ? { from, to } : { days: on, from, to };
  });
}
