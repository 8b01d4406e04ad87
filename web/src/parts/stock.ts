import type { Check, DeviceView, FoundQueue, Proposal, ServerView } from "../api/client";
import { ago } from "../lib/time";

/** How the last try to read something went: a mark, and words with its age. */
export function stands(
  check: Check | null,
  now: number,
  machine?: string,
): { mark: string; says: string } {
  if (machine) return { mark: "idle", says: `plugged into ${machine}, which alone reaches it` };
  if (!check) return { mark: "silent", says: "not read yet" };
  if (check.ok) return { mark: "converged", says: `answers, read ${ago(check.at, now)}` };
  return {
    mark: "failing",
    says: `${check.says}, since ${ago(check.since, now).replace(/ ago$/, "")}`,
  };
}

/** The state of a queue or device in IPP's words, with its reasons. */
export function stateWords(of: {
  state: string;
  reasons?: string[] | undefined;
  accepting?: boolean | undefined;
}): string {
  const reasons = of.reasons?.length ? ` (${of.reasons.join(", ")})` : "";
  return `${of.state}${reasons}${of.accepting === false ? ", takes no jobs" : ""}`;
}

export const stateMarks: Record<string, string> = {
  idle: "yes",
  processing: "open",
  stopped: "no",
  unknown: "silent",
};

export const queueReady = (q: FoundQueue) => q.state !== "stopped" && q.accepting;
export const deviceReady = (d: DeviceView) =>
  Boolean(
    d.check?.ok && d.reading && (d.reading.state === "idle" || d.reading.state === "processing"),
  );

const hasWords = (words: string, ...of: (string | undefined)[]) => {
  const text = of.join(" ").toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .filter(Boolean)
    .every((w) => text.includes(w));
};

export const queueStates = [
  { value: "not-ready", label: "not ready" },
  { value: "jobs", label: "with jobs waiting" },
  { value: "unlisted", label: "the estate does not lead there" },
  { value: "no-driver", label: "no driver told" },
] as const;

export function narrowQueues(
  all: FoundQueue[],
  f: { word: string; server: string; state: string },
): FoundQueue[] {
  return all.filter((q) => {
    if (f.server && q.server !== f.server) return false;
    if (f.state === "not-ready" && queueReady(q)) return false;
    if (f.state === "jobs" && q.jobs === 0) return false;
    if (f.state === "unlisted" && q.leads.length > 0) return false;
    if (f.state === "no-driver" && q.model) return false;
    return hasWords(
      f.word,
      q.name,
      q.title,
      q.location,
      q.model,
      q.device,
      q.server,
      ...q.leads,
      stateWords(q),
    );
  });
}

export const deviceStates = [
  { value: "not-ready", label: "not ready" },
  { value: "differs", label: "not as written" },
  { value: "unkept", label: "address kept by nobody knows what" },
  { value: "no-queue", label: "no queue" },
  { value: "low", label: "a supply under 15 %" },
] as const;

export function narrowDevices(
  all: DeviceView[],
  f: { word: string; site: string; state: string },
): DeviceView[] {
  return all.filter((d) => {
    if (f.site && d.location !== f.site && !d.location?.startsWith(`${f.site}/`)) return false;
    if (f.state === "not-ready" && deviceReady(d)) return false;
    if (f.state === "differs" && d.differs.length === 0) return false;
    if (f.state === "unkept" && d.address_kept_by && d.address_kept_by !== "unknown") return false;
    if (f.state === "no-queue" && d.queues.length > 0) return false;
    if (f.state === "low" && !d.reading?.supplies?.some((s) => s.level !== null && s.level < 15))
      return false;
    return hasWords(
      f.word,
      d.name,
      d.title,
      d.uri,
      d.mac,
      d.location,
      d.note,
      d.identity.mac,
      d.identity.serial,
      d.identity.uuid,
      d.reading?.model,
      d.reading?.firmware,
      ...d.queues,
    );
  });
}

export function narrowServers(all: ServerView[], f: { word: string; state: string }): ServerView[] {
  return all.filter((s) => {
    if (f.state === "silent" && s.check?.ok) return false;
    if (f.state === "not-ready" && s.count.not_ready === 0) return false;
    if (f.state === "jobs" && s.count.jobs === 0) return false;
    if (f.state === "differs" && s.differences === 0) return false;
    return hasWords(f.word, s.name, s.title, s.uri, s.location, s.note, ...s.sets);
  });
}

export const sitesOf = (list: { location?: string | undefined }[]) =>
  [
    ...new Set(list.map((o) => o.location?.split("/")[0]).filter((s): s is string => Boolean(s))),
  ].sort();

/** The host of a URI, as people know an address. */
export const hostOf = (uri: string) =>
  /^[a-z]+:\/\/(\[[^\]]+\]|[^/:]+)/i.exec(uri)?.[1]?.replace(/^\[|\]$/g, "") ?? uri;

/** Gives a proposed queue another name; on its server it is called as it was. */
export function named(p: Proposal, name: string): Proposal {
  const paths = p.queue.paths?.map((path) => {
    if (!path.server && !path.set) return path;
    const { remote_name: _, ...rest } = path;
    return name === p.found ? rest : { ...rest, remote_name: p.found };
  });
  return { ...p, queue: { ...p.queue, name, ...(paths && { paths }) } };
}

/** What a proposal still lacks before it can be adopted. */
export function lacking(p: Proposal, taken: Set<string>, others: string[]): string {
  const name = p.queue.name;
  if (!/^[a-z0-9][a-z0-9.-]{0,62}$/.test(name)) return "small letters, digits, dots and dashes";
  if (taken.has(name)) return "the estate has a queue of that name";
  if (others.filter((o) => o === name).length > 1) return "two of these have that name";
  return "";
}

/** The mark of a server's duty; one that takes only a share of its people is on its way back. */
export const dutyMark = (duty: string, share: number): string =>
  duty === "serving" ? (share < 1 ? "behind" : "open") : duty === "drained" ? "paused" : "no";

export const dutyWord = (duty: string, share: number): string =>
  duty === "serving" && share < 1
    ? `returning, ${Math.round(share * 100)} % of its people`
    : duty === "serving"
      ? "on duty"
      : duty;
