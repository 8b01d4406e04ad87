import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Queue } from "../../api/client";
import { listingsQuery } from "../../api/directory";
import { draftDocumentQuery } from "../../api/drafts";
import { foundQueuesQuery } from "../../api/stock";
import { Mark } from "../../ui/Mark";
import { listing, sharing } from "./reach";

/** Three different things, each with what it means for people: shared, listed, delivered. */
export function ReachMarks({ queue: q }: { queue: Queue }) {
  const into = useQuery(listingsQuery());
  const found = useQuery(foundQueuesQuery());
  const document = useQuery(draftDocumentQuery());
  const sets = new Map((document.data?.server_sets ?? []).map((s) => [s.name, s.members]));
  const shared = found.data && document.data && sharing(q, sets, found.data);
  const listed = into.data && listing(q, into.data);
  return (
    <ul aria-label="How people come to it" className="flex flex-col gap-0.5">
      <li>
        {shared ? (
          <Mark of={shared.mark}>{shared.says}</Mark>
        ) : found.error || document.error ? (
          <Mark of="idle">What servers share is not shown to your account.</Mark>
        ) : (
          "Looking where it is shared…"
        )}
      </li>
      <li>
        {listed ? (
          <Mark of={listed.mark}>
            {listed.says}
            {listed.mark === "warning" && (
              <>
                {" "}
                <Link to="/directory?show=sources">See the sources</Link>
              </>
            )}
          </Mark>
        ) : (
          !into.error && "Looking where it is listed…"
        )}
      </li>
      <li>
        {q.given.state === "given" ? (
          <Mark of="yes">
            Delivered by {q.given.by.join(", ")}: people whom these reach have it, or may pick it,
            without searching.
            {q.given.withheld_by.length > 0 &&
              ` Kept away from some by ${q.given.withheld_by.join(", ")}.`}
          </Mark>
        ) : (
          <Mark of={q.given.state === "retired" ? "idle" : "no"}>
            Delivered to nobody: {q.given.says}.
          </Mark>
        )}
      </li>
    </ul>
  );
}
