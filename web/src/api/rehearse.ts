import { ProblemError, type Rehearsal, type RehearsalLine, type Rehearse } from "./client";

/** Runs a rehearsal and tells how far it is; the signal stops it. */
export async function rehearse(what: Rehearse, tell: (done: number, total: number) => void, signal: AbortSignal): Promise<Rehearsal> {
  let response: Response;
  try {
    response = await fetch("/api/v1/rehearsals", { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(what), signal });
  } catch (e) {
    if (signal.aborted) throw e;
    throw new ProblemError({ code: "service-unreachable", status: 0, detail: "The service does not answer", fix: "check that it runs, and the network" });
  }
  if (!response.ok || !response.body) throw new ProblemError((await response.json()) as ProblemError["problem"]);
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { value, done } = await reader.read();
    rest += value ?? "";
    for (let end = rest.indexOf("\n"); end >= 0; end = rest.indexOf("\n")) {
      const line = JSON.parse(rest.slice(0, end)) as RehearsalLine;
      rest = rest.slice(end + 1);
      if (line.problem) throw new ProblemError(line.problem);
      if (line.rehearsal) return line.rehearsal;
      if (line.progress) tell(line.progress.done, line.progress.total);
    }
    if (done) throw new ProblemError({ code: "stream-broken", status: 0, detail: "The rehearsal broke off", fix: "rehearse again" });
  }
}

export const kinds = ["gains", "loses", "empty", "stranded", "no-driver", "no-path", "effect", "default", "path", "driver", "settings"] as const;
export type Kind = (typeof kinds)[number];

/** What a kind of change means for a person. */
export const kindWords: Record<Kind, string> = {
  gains: "gain a queue", loses: "lose a queue", empty: "end with nothing", stranded: "have a stranded queue", "no-driver": "lack a driver", "no-path": "lack a path",
  effect: "placed, picked or offered otherwise", default: "have another default", path: "go another way", driver: "get another driver", settings: "get other settings",
};

export const ways = ["grant", "queue", "group", "location"] as const;
export type Way = (typeof ways)[number];
