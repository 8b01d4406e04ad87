import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import type { Rehearsal } from "../api/client";
import { draftQuery } from "../api/drafts";
import { rehearse } from "../api/rehearse";
import { count } from "../lib/words";
import { Mark } from "../ui/Mark";

/** The draft, always in view: how many changes, who would gain and lose, and the ways on. */
export function DraftStrip() {
  const draft = useQuery(draftQuery());
  const d = draft.data;
  const [seen, setSeen] = useState<{ version: number; report: Rehearsal } | null>(null);
  const version = d && d.total > 0 && d.conflicts.length === 0 ? d.version : 0;
  useEffect(() => {
    if (!version) return undefined;
    const stop = new AbortController();
    // Typing rests first: each edit is a version of its own.
    const timer = setTimeout(() => {
      rehearse({}, () => undefined, stop.signal)
        .then((report) => setSeen({ version, report }))
        .catch(() => undefined); // the page of the draft says what is wrong
    }, 600);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  }, [version]);
  if (!d) return null;
  if (d.total === 0) return <span>Your draft is empty</span>;
  const totals = seen?.version === d.version ? seen.report.totals : undefined;
  const who = (kind: string) => (totals?.[kind]?.people ?? 0) + (totals?.[kind]?.machines ?? 0);
  return (
    <span role="group" aria-label="Draft" className="flex flex-wrap items-center gap-x-4">
      <Mark of={d.conflicts.length > 0 ? "no" : "behind"}>
        <strong className="text-ink">{count(d.total, "change")} not published</strong>
      </Mark>
      {d.conflicts.length > 0 && (
        <span>{count(d.conflicts.length, "conflict")} with what was published since</span>
      )}
      {totals && (
        <span>
          {who("gains")} gain, {who("loses")} lose
          {who("empty") > 0 && `, ${who("empty")} end with nothing`}
        </span>
      )}
      <Link to="/draft#rehearse">Rehearse</Link>
      <Link to="/draft#publish">Publish</Link>
    </span>
  );
}
