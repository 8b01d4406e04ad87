import type { DeviceView, Document, ServerView } from "../../api/client";
import { deviceReady, stateWords } from "../../parts/stock";

/** The drawing of a site: servers and sets at the left, queues in the middle, devices at the right. */
export type Node = {
  id: string;
  kind: "server" | "queue" | "device";
  name: string;
  note: string;
  bad: boolean;
  x: number;
  y: number;
  href: string;
};
export type Link = { from: Node; to: Node; kind: "path" | "behind"; at: string };
export type SiteDrawing = { width: number; height: number; nodes: Node[]; links: Link[] };

export const box = { w: 250, h: 40 };
const xs = { server: 0, queue: 400, device: 800 };
const step = 52;
const top = 28;

const within = (location: string | undefined, site: string) =>
  location === site || Boolean(location?.startsWith(`${site}/`));

export function drawSite(
  doc: Document,
  site: string,
  servers: ServerView[],
  devices: DeviceView[],
): SiteDrawing {
  const members = new Map((doc.server_sets ?? []).map((s) => [s.name, s.members]));
  const queues = (doc.queues ?? []).filter((q) => !q.retired && within(q.location, site));
  const behind = new Set(
    queues
      .flatMap((q) => [...(q.devices ?? []), ...(q.paths ?? []).map((p) => p.device ?? "")])
      .filter(Boolean),
  );
  const through = new Set(
    queues
      .flatMap((q) =>
        (q.paths ?? []).flatMap((p) => [
          p.server ?? "",
          ...(p.set ? (members.get(p.set) ?? []) : []),
        ]),
      )
      .filter(Boolean),
  );
  const here = {
    server: servers.filter((s) => within(s.location, site) || through.has(s.name)),
    device: devices.filter((d) => within(d.location, site) || behind.has(d.name)),
  };
  // Devices stand in the order of the queues that lead to them, so that lines cross as little as they can.
  const order = queues.map((q) => q.devices?.[0] ?? q.paths?.find((p) => p.device)?.device ?? "");
  const place = (name: string) => {
    const i = order.indexOf(name);
    return i < 0 ? order.length : i;
  };
  here.device = here.device.toSorted(
    (a, b) => place(a.name) - place(b.name) || a.name.localeCompare(b.name),
  );
  const rows = Math.max(1, here.server.length, queues.length, here.device.length);
  const column = (kind: Node["kind"], i: number) => ({ kind, x: xs[kind], y: top + i * step });
  const gateway = queues.some((q) => q.paths?.some((p) => p.gateway));
  const nodes: Node[] = [
    ...here.server.map((s, i): Node => ({
      ...column("server", i),
      id: `server ${s.name}`,
      name: s.name,
      note: [
        s.duty !== "serving" && s.duty,
        s.check && !s.check.ok ? "does not answer" : `${s.count.queues} queues`,
        s.sets.join(", "),
      ]
        .filter(Boolean)
        .join("; "),
      bad: s.duty !== "serving" || s.check?.ok === false,
      href: `/servers?server=${encodeURIComponent(s.name)}`,
    })),
    ...queues.map((q, i): Node => ({
      ...column("queue", i),
      id: `queue ${q.name}`,
      name: q.name,
      note: q.paused ? "paused" : (q.paths ?? []).length === 0 ? "has no path" : (q.title ?? ""),
      bad: Boolean(q.paused) || (q.paths ?? []).length === 0,
      href: `/queues?queue=${encodeURIComponent(q.name)}`,
    })),
    ...here.device.map((d, i): Node => ({
      ...column("device", i),
      id: `device ${d.name}`,
      name: d.name,
      note:
        d.check && !d.check.ok
          ? "does not answer"
          : d.reading && !deviceReady(d)
            ? `not ready: ${stateWords(d.reading)}`
            : (d.reading?.model ?? ""),
      bad: Boolean(d.check) && !deviceReady(d),
      href: `/devices?device=${encodeURIComponent(d.name)}`,
    })),
  ];
  if (gateway)
    nodes.push({
      ...column("server", here.server.length),
      id: "gateway",
      name: "the gateway",
      note: "Cirque’s own",
      bad: false,
      href: "",
    });
  const by = new Map(nodes.map((n) => [n.id, n]));
  const links: Link[] = [];
  const link = (a: string, b: string, kind: Link["kind"], at: string) => {
    const [from, to] = [by.get(a), by.get(b)];
    if (from && to && !links.some((l) => l.from === from && l.to === to && l.kind === kind))
      links.push({ from, to, kind, at });
  };
  for (const q of queues) {
    const direct = new Set<string>();
    for (const p of q.paths ?? []) {
      const at = p.at?.join(", ") ?? "";
      if (p.server) link(`server ${p.server}`, `queue ${q.name}`, "path", at);
      for (const m of p.set ? (members.get(p.set) ?? []) : [])
        link(`server ${m}`, `queue ${q.name}`, "path", at);
      if (p.gateway) link("gateway", `queue ${q.name}`, "path", at);
      if (p.device) {
        direct.add(p.device);
        link(`queue ${q.name}`, `device ${p.device}`, "path", at);
      }
    }
    for (const d of q.devices ?? [])
      if (!direct.has(d)) link(`queue ${q.name}`, `device ${d}`, "behind", "");
  }
  return { width: xs.device + box.w, height: top + rows * step, nodes, links };
}

/** All that hangs on one node: it, what leads to it, and what it leads to, to both ends. */
export function hanging(d: SiteDrawing, id: string): Set<string> {
  const out = new Set([id]);
  const walk = (from: string, forward: boolean) => {
    for (const l of d.links) {
      const [a, b] = forward ? [l.from.id, l.to.id] : [l.to.id, l.from.id];
      if (a === from && !out.has(b)) {
        out.add(b);
        walk(b, forward);
      }
    }
  };
  walk(id, true);
  walk(id, false);
  return out;
}
