import type { Rehearsal, RehearsalLine, Rehearse } from "./client";
import { stream } from "./stream";

/** Runs a rehearsal and tells how far it is; the signal stops it. */
export const rehearse = (
  what: Rehearse,
  tell: (done: number, total: number) => void,
  signal: AbortSignal,
): Promise<Rehearsal> =>
  stream<RehearsalLine, Rehearsal>(
    "/api/v1/rehearsals",
    what,
    "The rehearsal",
    (line) => {
      if (line.progress) tell(line.progress.done, line.progress.total);
      return line.rehearsal;
    },
    signal,
  );

export const kinds = [
  "gains",
  "loses",
  "empty",
  "stranded",
  "no-driver",
  "no-path",
  "effect",
  "default",
  "path",
  "driver",
  "name",
  "settings",
] as const;
export type Kind = (typeof kinds)[number];

/** What a kind of change means for a person. */
export const kindWords: Record<Kind, string> = {
  gains: "gain a queue",
  loses: "lose a queue",
  empty: "end with nothing",
  stranded: "have a stranded queue",
  "no-driver": "lack a driver",
  "no-path": "lack a path",
  effect: "placed, picked or offered otherwise",
  default: "have another default",
  path: "go another way",
  driver: "get another driver",
  name: "see a queue under another name",
  settings: "get other settings",
};

export const ways = ["grant", "queue", "group", "location"] as const;
export type Way = (typeof ways)[number];
