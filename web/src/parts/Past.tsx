import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, askAll, type Ref } from "../api/client";
import { stamp } from "../lib/time";
import { Waiting } from "../ui/Notice";

/** What each of the latest revisions did to one object of the estate, newest first. */
export const pastQuery = (list: Ref["list"], object: string) =>
  queryOptions({
    queryKey: ["estate", "past", list, object],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/estate/past", { params: { query: { ...query, list, object } }, signal }),
      ),
    retry: false,
  });

/** The past of one object, looked for where somebody opens it. */
export function Past({ list, name }: { list: Ref["list"]; name: string }) {
  const [open, setOpen] = useState(false);
  const past = useQuery({ ...pastQuery(list, name), enabled: open });
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">How it became so</summary>
      {!open ? null : past.isPending ? (
        <Waiting what="the revisions" />
      ) : !past.data?.length ? (
        <p className="text-ink-2">None of the latest 200 revisions changed it.</p>
      ) : (
        <ol className="mt-1">
          {past.data.map((p) => (
            <li key={p.revision.number} className="border-b border-rule py-1">
              <Link to={`/history?revision=${p.revision.number}`}>
                Revision {p.revision.number}
              </Link>{" "}
              {p.kind}
              {p.kind === "changed" && ` ${p.keys.map((k) => k.replaceAll("_", " ")).join(", ")}`}
              <span className="block text-ink-2">
                {stamp(p.revision.at)}, {p.revision.author}: {p.revision.reason}
              </span>
            </li>
          ))}
        </ol>
      )}
    </details>
  );
}
