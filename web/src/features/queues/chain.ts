import type { DeviceView, DriverReport, FoundQueue, Listing, Proof, Queue } from "../../api/client";

import { count } from "../../lib/words";
import { listing } from "./reach";

/** One link of the chain that leads from a person to the paper. */
export type Step = {
  what: string;
  mark: "yes" | "no" | "warning" | "idle";
  says: string;
  href?: string | undefined;
};

export type Known = {
  devices: DeviceView[];
  found: FoundQueue[];
  report: DriverReport | undefined;
  proof: Proof;
  sets: Map<string, string[]>;
  listings: Listing[];
};

/** The whole chain of one queue, link by link: each says how it stands, as far as anybody knows. */
export function chain(q: Queue, k: Known): Step[] {
  const steps: Step[] = [];
  const add = (what: string, mark: Step["mark"], says: string, href?: string) =>
    steps.push({ what, mark, says, href });
  for (const name of q.devices ?? []) {
    const d = k.devices.find((x) => x.name === name);
    const href = `/devices?device=${encodeURIComponent(name)}`;
    if (!d) {
      add("Device", "no", `${name} is not known`, href);
      continue;
    }
    const r = d.reading;
    if (!d.check) add("Device", "idle", `${name} has not been questioned yet`, href);
    else if (!d.check.ok) add("Device", "no", `${name}: ${d.check.says}`, href);
    else
      add(
        "Device",
        r?.state === "stopped" ? "no" : "yes",
        `${name}, ${r?.model || "model not told"}: ${r?.state ?? "unknown"}${r?.reasons?.length ? ` (${r.reasons.join(", ")})` : ""}`,
        href,
      );
    const off = d.differs.filter(
      (x) =>
        x.kind.startsWith("address") ||
        x.kind === "reservation" ||
        x.kind === "moved" ||
        x.kind === "swapped",
    );
    if (off.length > 0)
      add(
        "Its address",
        off.some((x) => x.severity === "error") ? "no" : "warning",
        off.map((x) => x.says).join("; "),
        href,
      );
    else
      add(
        "Its address",
        "yes",
        `${d.uri}, kept by ${d.address_kept_by === "reservation" ? "a reservation" : "a setting on the device"}`,
        href,
      );
  }
  if ((q.devices ?? []).length === 0) add("Device", "idle", "none is named behind it");
  const report = k.report;
  const holdings = Object.entries(q.drivers ?? {})
    .filter(([, v]) => v !== "driverless")
    .map(([platform, name]) => ({ platform, h: report?.holdings.find((x) => x.driver === name) }));
  if (holdings.length === 0) add("Driver", "yes", "driverless everywhere");
  for (const { platform, h } of holdings)
    if (h)
      add(
        "Driver",
        h.state === "found" ? "yes" : "no",
        `${h.exact} for ${platform}: ${h.says}`,
        `/drivers?show=names&find=${encodeURIComponent(h.exact)}`,
      );
  const row = report?.matrix.find((m) => m.queue === q.name);
  for (const c of row?.cells ?? [])
    if (c.state === "none" && c.receive > 0)
      add(
        "Driver",
        "no",
        `none fits ${c.platform}, where ${c.receive} get it`,
        "/drivers?show=report",
      );
  (q.paths ?? []).forEach((p, i) => {
    const where = `${i + 1}. `;
    const at = p.at ? `, at ${p.at.join(" or ")}` : "";
    if (p.gateway) return add("Path", "yes", `${where}through the gateway${at}`);
    if (p.device)
      return add(
        "Path",
        "yes",
        `${where}straight to ${p.device}${at}`,
        `/devices?device=${encodeURIComponent(p.device)}`,
      );
    for (const server of p.server ? [p.server] : (k.sets.get(p.set ?? "") ?? [])) {
      const remote = p.remote_name || q.name;
      const on = k.found.find((f) => f.server === server && f.name === remote);
      const read = k.found.some((f) => f.server === server);
      const href = `/servers?server=${encodeURIComponent(server)}`;
      if (!read)
        add("Path", "idle", `${where}through ${server}${at}, whose queues are not known`, href);
      else if (!on)
        add("Path", "no", `${where}through ${server}${at}, which has no queue “${remote}”`, href);
      else
        add(
          "Path",
          on.state !== "stopped" && on.accepting ? "yes" : "no",
          `${where}through ${server}${at} as “${remote}”: ${on.state}${on.reasons?.length ? ` (${on.reasons.join(", ")})` : ""}, ${on.jobs} waiting`,
          href,
        );
    }
  });
  if ((q.paths ?? []).length === 0) add("Path", "no", "none: it is left out of every lineup");
  add(
    "State",
    q.retired ? "no" : q.paused ? "warning" : "yes",
    q.retired
      ? "retired: nobody keeps it"
      : q.paused
        ? "paused: people keep it, and it takes no jobs"
        : "open",
  );
  const listed = listing(q, k.listings);
  add("Listed", listed.mark, listed.says);
  add(
    "Grants",
    q.given.state === "given" ? "yes" : "no",
    q.given.says,
    q.grants.length > 0 ? `/grants?find=${encodeURIComponent(q.name)}` : undefined,
  );
  const p = k.proof;
  const bad = p.failed > 0 || p.beyond > 0;
  add(
    "Endpoints",
    bad ? "no" : p.arrived > 0 ? "yes" : "idle",
    p.says,
    `/endpoints?show=proof&queue=${encodeURIComponent(q.name)}`,
  );
  add(
    "Default",
    p.default > 0 ? "yes" : "idle",
    p.default > 0 ? `on ${count(p.default, "endpoint")}` : "on no endpoint that reports",
  );
  return steps;
}
