import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Signal } from "../api/client";
import { patchEndpoints } from "../features/endpoints/patch";

/** Which queries a notice makes stale, by the first part of their keys. */
const concerns: Record<Signal["what"], string[]> = {
  estate: [
    "faults",
    "revision",
    "draft",
    "history",
    "findings",
    "subject",
    "overview",
    "lineup",
    "why",
    "queues",
    "endpoints",
    "events",
    "search",
    "stock",
    "drivers",
    "kept",
  ],
  directory: [
    "subject",
    "links",
    "reach",
    "findings",
    "draft",
    "overview",
    "lineup",
    "why",
    "search",
    "endpoints",
    "drivers",
    "kept",
  ],
  sources: ["sources"],
  live: ["faults", "duties", "lineup", "why", "endpoints", "stock", "kept"],
  access: ["access", "me"],
  enrolment: ["enrolment"],
  draft: ["draft", "findings"],
  endpoint: ["subject", "overview", "duties"], // and the one endpoint, where it is shown
  event: ["events"],
  stock: ["stock"],
  drivers: ["drivers", "stock", "places"],
  "driver-places": ["places"],
  "kept-servers": ["kept"],
  lost: [
    "faults",
    "snapshots",
    "revision",
    "draft",
    "history",
    "findings",
    "duties",
    "subject",
    "overview",
    "lineup",
    "why",
    "queues",
    "endpoints",
    "events",
    "search",
    "stock",
    "drivers",
    "places",
    "kept",
    "sources",
    "access",
    "enrolment",
    "links",
  ],
};

const gather = 250; // ms: many notices at once are one refresh
const gatherStock = 2000; // readings come all the time
const gatherReports = 2000; // so do reports of a large fleet
const newEndpoints = 15_000; // after how long a list is looked at again for endpoints that it does not have

/** Keeps what is shown true: watches the service's notices and refreshes what they concern. */
export function useLive(): { live: boolean } {
  const client = useQueryClient();
  const [live, setLive] = useState(false);
  useEffect(() => {
    const stale = new Set<string>();
    let timer: ReturnType<typeof setTimeout> | undefined;
    let slow: ReturnType<typeof setTimeout> | undefined;
    const refresh = () => {
      timer = undefined;
      for (const k of stale) void client.invalidateQueries({ queryKey: [k] });
      stale.clear();
    };
    const reported = new Set<string>();
    let reports: ReturnType<typeof setTimeout> | undefined;
    let lists: ReturnType<typeof setTimeout> | undefined;
    const endpointChanged = (machine: string) => {
      reported.add(machine);
      reports ??= setTimeout(() => {
        reports = undefined;
        for (const k of concerns.endpoint) stale.add(k);
        refresh();
        void patchEndpoints(client, new Set(reported)).catch(() => undefined); // the next notice tries again
        reported.clear();
      }, gatherReports);
      lists ??= setTimeout(() => {
        lists = undefined;
        void client.invalidateQueries({ queryKey: ["endpoints", "list"] });
      }, newEndpoints);
    };
    const mark = (what: Signal["what"]) => {
      for (const k of concerns[what] ?? []) stale.add(k); // a newer service may tell of more
      if (what === "stock")
        slow ??= setTimeout(() => {
          slow = undefined;
          refresh();
        }, gatherStock);
      else timer ??= setTimeout(refresh, gather);
    };
    let source: EventSource | undefined;
    let was = false;
    const start = () => {
      if (source || document.hidden) return;
      source = new EventSource("/api/v1/watch");
      source.onopen = () => {
        setLive(true);
        if (was) mark("lost"); // something may have been missed
        was = true;
      };
      source.onerror = () => {
        setLive(false);
        void client.invalidateQueries({ queryKey: ["me"] });
      };
      source.addEventListener("notice", (e) => {
        const n: Signal = JSON.parse(String(e.data));
        if (n.what === "endpoint") endpointChanged(n.subject);
        else mark(n.what);
      });
    };
    const stop = () => {
      source?.close();
      source = undefined;
    };
    // A page that nobody sees holds no connection: browsers give a host only six without HTTP/2.
    const follow = () => (document.hidden ? stop() : start());
    start();
    document.addEventListener("visibilitychange", follow);
    window.addEventListener("pagehide", stop);
    window.addEventListener("pageshow", follow);
    return () => {
      stop();
      clearTimeout(timer);
      clearTimeout(slow);
      clearTimeout(reports);
      clearTimeout(lists);
      document.removeEventListener("visibilitychange", follow);
      window.removeEventListener("pagehide", stop);
      window.removeEventListener("pageshow", follow);
    };
  }, [client]);
  return { live };
}
