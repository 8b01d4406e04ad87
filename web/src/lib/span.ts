/** Lengths of time as the estate writes them: a number and its unit, such as 90s, 5m, 2h, 3d. */
const units: Record<string, number> = { ms: 0.001, s: 1, m: 60, h: 3600, d: 86_400, w: 604_800 };
const names = [
  ["d", "day"],
  ["h", "hour"],
  ["m", "minute"],
  ["s", "second"],
] as const;

/** How many seconds a span has; undefined where it is none. */
export function seconds(text: string): number | undefined {
  const rest = text.replaceAll(" ", "");
  if (rest === "0") return 0;
  if (!/^(\d+(\.\d+)?(ms|s|m|h|d|w))+$/.test(rest)) return undefined;
  let sum = 0;
  for (const [, n, unit] of rest.matchAll(/(\d+(?:\.\d+)?)(ms|s|m|h|d|w)/g))
    sum += Number(n) * (units[unit ?? "s"] ?? 0);
  return sum;
}

/** A span in words: 5m is 5 minutes. */
export function spelled(text: string): string {
  let left = Math.round(seconds(text) ?? 0);
  const parts: string[] = [];
  for (const [unit, one] of names) {
    const n = Math.floor(left / (units[unit] ?? 1));
    left -= n * (units[unit] ?? 1);
    if (n > 0) parts.push(n === 1 ? `1 ${one}` : `${n} ${one}s`);
  }
  return parts.join(" ") || "0 seconds";
}
