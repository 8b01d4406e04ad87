import type { KeptRow, KeptSummary } from "../../api/client";

/** The mark of a kept server's state; each has a word beside it. */
export const keptMarks: Record<KeptSummary["state"], string> = {
  "as-wanted": "converged",
  behind: "behind",
  failing: "failing",
  silent: "silent",
  waiting: "idle",
  ready: "plus",
};

export const keptWords: Record<KeptSummary["state"], string> = {
  "as-wanted": "as wanted",
  behind: "not there yet",
  failing: "failing",
  silent: "not heard of",
  waiting: "no agent yet",
  ready: "ready to be kept",
};

/** The mark of one queue on a kept server. */
export const rowMarks: Record<KeptRow["state"], string> = {
  "as-wanted": "yes",
  missing: "no",
  differs: "warning",
  failing: "failing",
  "in-the-way": "warning",
  extra: "minus",
  other: "idle",
};

export const rowWords: Record<KeptRow["state"], string> = {
  "as-wanted": "as wanted",
  missing: "missing",
  differs: "differs",
  failing: "failing",
  "in-the-way": "somebody else’s, in the way",
  extra: "no longer wanted",
  other: "somebody else’s, left",
};
