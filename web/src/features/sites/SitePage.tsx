import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { Link } from "react-router";
import { draftDocumentQuery } from "../../api/drafts";
import { devicesQuery, serversQuery } from "../../api/stock";
import { useUrl } from "../../lib/useUrl";
import { count, list } from "../../lib/words";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Talks } from "./Talks";
import { box, drawSite, hanging, type Node } from "./site";

/** A site as a drawing: its servers, queues and devices, and what hangs on what. */
export function SitePage() {
  const document = useQuery(draftDocumentQuery());
  const servers = useQuery(serversQuery());
  const devices = useQuery(devicesQuery());
  const { get, set, put } = useUrl();
  const sites = useMemo(
    () => (document.data?.locations ?? []).filter((l) => !l.path.includes("/")),
    [document.data],
  );
  const site = get("site") || (sites[0]?.path ?? "");
  const drawing = useMemo(
    () =>
      document.data && servers.data && devices.data && site
        ? drawSite(document.data, site, servers.data, devices.data)
        : null,
    [document.data, servers.data, devices.data, site],
  );
  const error = document.error ?? servers.error ?? devices.error;
  if (error) return <Failure title="The site cannot be drawn" problem={error} />;
  if (!document.data || !servers.data || !devices.data) return <Waiting what="the site" />;
  if (sites.length === 0 || !drawing)
    return (
      <Empty title="There is no site yet">
        A site is a location without a slash, such as <code className="font-mono">harbour</code>;
        write it in the estate.
      </Empty>
    );
  const picked = drawing.nodes.find((n) => n.id === get("of"));
  const lit = picked ? hanging(drawing, picked.id) : null;
  const of = (kind: Node["kind"]) =>
    drawing.nodes
      .filter((n) => n.kind === kind && lit?.has(n.id) && n.id !== picked?.id && n.id !== "gateway")
      .map((n) => n.name);
  return (
    <>
      <div className="flex flex-wrap items-end gap-x-6 gap-y-2">
        <h1 className="pb-1">Site</h1>
        <Select
          label="Which"
          value={site}
          all=""
          options={sites.map((s) => ({ value: s.path, label: s.title || s.path }))}
          onChange={(v) => put({ site: v, of: "" })}
        />
        <p className="pb-1 text-ink-2">
          As your draft has it. A full line is a path, in order of preference at the queue; a dotted
          one leads on from a server to the device. <Mark of="no">marks what is not ready</Mark>
        </p>
      </div>
      <div role="status" className="my-2 min-h-[24px]">
        {picked && lit ? (
          <p>
            On <strong className="font-medium">{picked.name}</strong> hang{" "}
            {list(
              (["queue", "device", "server"] as const)
                .filter((k) => of(k).length > 0)
                .map((k) => count(of(k).length, k)),
            ) || "nothing"}
            {of("queue").length > 0 && `: ${of("queue").join(", ")}`}.{" "}
            {picked.href && <Link to={picked.href}>Open it</Link>}{" "}
            <button type="button" className="min-h-[24px] underline" onClick={() => set("of", "")}>
              show all alike
            </button>
          </p>
        ) : (
          <p className="text-ink-2">Choose a box to see what hangs on it.</p>
        )}
      </div>
      <div
        className="overflow-auto border border-rule bg-sheet p-3"
        tabIndex={0}
        role="region"
        aria-label="Drawing of the site"
      >
        <svg
          viewBox={`-2 0 ${drawing.width + 4} ${drawing.height}`}
          style={{ minWidth: 900, width: "100%", maxWidth: 1250 }}
          role="group"
          aria-label={`Servers, queues and devices of ${site}`}
        >
          {(
            [
              ["servers", 0],
              ["queues", 400],
              ["devices", 800],
            ] as const
          ).map(([t, x]) => (
            <text key={t} x={x} y={14} className="fill-ink-3 text-[12px]">
              {t}
            </text>
          ))}
          {drawing.links
            .map((l) => ({ l, on: !lit || (lit.has(l.from.id) && lit.has(l.to.id)) }))
            .sort((a, b) => Number(a.on) - Number(b.on))
            .map(({ l, on }, i) => {
              const [x1, y1, x2, y2] = [
                l.from.x + box.w,
                l.from.y + box.h / 2,
                l.to.x,
                l.to.y + box.h / 2,
              ];
              return (
                <path
                  key={i}
                  d={`M${x1} ${y1}C${x1 + 70} ${y1} ${x2 - 70} ${y2} ${x2} ${y2}`}
                  fill="none"
                  strokeDasharray={l.kind === "behind" ? "2 4" : undefined}
                  strokeWidth={on && lit ? 2 : 1.2}
                  className={on ? (lit ? "stroke-accent" : "stroke-rule-strong") : "stroke-rule"}
                >
                  <title>{l.at && `at ${l.at}`}</title>
                </path>
              );
            })}
          {drawing.nodes.map((n) => {
            const on = !lit || lit.has(n.id);
            return (
              <g
                key={n.id}
                role="button"
                tabIndex={0}
                aria-pressed={picked?.id === n.id}
                className="cursor-pointer"
                onClick={() => set("of", picked?.id === n.id ? "" : n.id)}
                onKeyDown={(e) => {
                  if (e.key === "Enter" || e.key === " ") {
                    e.preventDefault();
                    set("of", picked?.id === n.id ? "" : n.id);
                  }
                }}
              >
                <rect
                  x={n.x}
                  y={n.y}
                  width={box.w}
                  height={box.h}
                  className={`${picked?.id === n.id ? "fill-accent-wash stroke-accent" : n.bad ? "fill-bad-wash stroke-bad" : "fill-sheet stroke-rule-strong"}`}
                  strokeWidth={picked?.id === n.id ? 2 : 1}
                  opacity={on ? 1 : 0.45}
                />
                {n.bad && (
                  <path
                    d={`M${n.x + box.w - 16} ${n.y + 8}l8 8m0-8l-8 8`}
                    className="stroke-bad"
                    strokeWidth={2}
                  />
                )}
                <text
                  x={n.x + 9}
                  y={n.y + 17}
                  className={`text-[13px] font-medium ${on ? "fill-ink" : "fill-ink-3"}`}
                >
                  {fit(n.name)}{" "}
                </text>
                <text
                  x={n.x + 9}
                  y={n.y + 32}
                  className={`text-[11px] ${on ? "fill-ink-2" : "fill-ink-3"}`}
                >
                  {fit(n.note)}
                </text>
              </g>
            );
          })}
        </svg>
      </div>
      <Talks site={site} />
    </>
  );
}

const fit = (text: string) => (text.length <= 36 ? text : `${text.slice(0, 35)}…`);
