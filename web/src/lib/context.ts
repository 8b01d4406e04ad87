/** A context as it stands in the address bar. Empty is not given. */
export type Context = {
  user: string;
  machine: string;
  host: string;
  address: string;
  location: string;
  session: string;
  platform: string;
  time: string;
  /** Which estate is asked: empty for the current one, "draft", a revision's number, or a moment of the past. */
  estate: string;
};

export const contextKeys = [
  "user",
  "machine",
  "host",
  "address",
  "location",
  "session",
  "platform",
  "time",
  "estate",
] as const;

export function contextOf(params: URLSearchParams): Context {
  const c = Object.fromEntries(contextKeys.map((k) => [k, params.get(k) ?? ""])) as Context;
  return { ...c, session: c.session || "desktop" };
}

/** The context with what was added to it: to be asked as it is. */
export function withAdded(c: Context, added: { part: string; value: string }[]): Context {
  const next = { ...c };
  for (const a of added) {
    const key = a.part === "addresses" ? "address" : (a.part as keyof Context);
    next[key] = a.value;
  }
  return next;
}

/** Says whether there is enough to ask with. */
export function isAskable(c: Context): boolean {
  return Boolean(c.user || c.machine || c.address);
}

/** The context as the API wants it. */
export function queryOf(c: Context) {
  const addresses = c.address.split(/[\s,]+/).filter(Boolean);
  const remote = c.session === "remote" || c.session === "virtual";
  return {
    ...(c.user && { user: c.user }),
    ...(c.machine && { machine: c.machine }),
    ...(remote && c.host && { host: c.host }),
    ...(addresses.length > 0 && { addresses }),
    ...(c.location && { location: c.location }),
    session: c.session,
    ...(c.platform && { platform: c.platform }),
    ...(c.time && { time: c.time }),
  };
}

/** Which estate, and of which time, as the API wants it. */
export function whenOf(c: Context): { revision?: string; as_of?: string } {
  if (!c.estate) return {};
  return /^\d{4}-/.test(c.estate) ? { as_of: c.estate } : { revision: c.estate };
}
