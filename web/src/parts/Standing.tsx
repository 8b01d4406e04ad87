import type { ReactNode } from "react";
import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { stamp } from "../lib/time";

const sentence = (s: string) => `${s.charAt(0).toUpperCase()}${s.slice(1)}.`;

export const standingQuery = () =>
  queryOptions({
    queryKey: ["standing"],
    queryFn: ({ signal }) => ask(api.GET("/readyz", { signal })),
    refetchInterval: 5_000,
    retry: false,
  });

/**
 * Says what is not as it should be with the service, and how old what it answers is; nothing while all is well. Whoever
 * only looks at their own printers is told the age alone.
 */
export function Standing({ own = false }: { own?: boolean }) {
  const { data, isError, dataUpdatedAt } = useQuery(standingQuery());
  if (isError) {
    const since = dataUpdatedAt ? stamp(new Date(dataUpdatedAt).toISOString()) : undefined;
    return (
      <Strip>
        <p className="font-medium">The service does not answer</p>
        <p>What stands here is {since ? `as of ${since}` : "of before"}; it is tried again.</p>
      </Strip>
    );
  }
  if (!data) return null;
  const old = data.age_seconds > 5;
  const list = own ? [] : data.conditions;
  if (!old && list.length === 0) return null;
  return (
    <Strip>
      {old && (
        <p className="font-medium">
          As of {stamp(data.as_of)}: for {data.age_seconds} s the service has not heard of changes
        </p>
      )}
      {!own && !data.writing && <p className="font-medium">Changes cannot be kept just now</p>}
      {list.map((c) => (
        <p key={c.code}>
          {sentence(c.says)} {sentence(c.fix)} Since {stamp(c.since)}.
        </p>
      ))}
    </Strip>
  );
}

/** What whoever is at the console must not overlook, across the page. */
export function Strip({ children }: { children: ReactNode }) {
  return (
    <div role="alert" className="border-b border-bad border-l-2 bg-bad-wash px-4 py-2">
      {children}
    </div>
  );
}
