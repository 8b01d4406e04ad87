import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Notice } from "../api/client";

/** Which queries a notice makes stale, by the first part of their keys. */
const concerns: Record<Notice["what"], string[]> = {
  estate: ["overview", "lineup", "why", "queues", "endpoints", "events", "search"],
  directory: ["overview", "lineup", "why", "search", "endpoints"],
  live: ["lineup", "why", "endpoints"],
  access: [],
  endpoint: ["endpoints", "overview"],
  event: ["events"],
  lost: ["overview", "lineup", "why", "queues", "endpoints", "events", "search"],
};

const gather = 250; // ms: many notices at once are one refresh

/** Keeps what is shown true: watches the service's notices and refreshes what they concern. */
export function useLive(): { live: boolean } {
  const client = useQueryClient();
  const [live, setLive] = useState(false);
  useEffect(() => {
    const stale = new Set<string>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    const refresh = () => {
      timer = undefined;
      for (const k of stale) void client.invalidateQueries({ queryKey: [k] });
      stale.clear();
    };
    const mark = (what: Notice["what"]) => {
      for (const k of concerns[what]) stale.add(k);
      timer ??= setTimeout(refresh, gather);
    };
    const source = new EventSource("/api/v1/watch");
    let was = false;
    source.onopen = () => {
      setLive(true);
      if (was) mark("lost"); // something may have been missed
      was = true;
    };
    source.onerror = () => {
      setLive(false);
      void client.invalidateQueries({ queryKey: ["me"] });
    };
    source.addEventListener("notice", (e) => mark((JSON.parse((e as MessageEvent<string>).data) as Notice).what));
    return () => {
      source.close();
      clearTimeout(timer);
    };
  }, [client]);
  return { live };
}
