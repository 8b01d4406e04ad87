import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, ask, type Sample } from "../../api/client";
import { stamp } from "../../lib/time";
import { useUrl } from "../../lib/useUrl";
import { count } from "../../lib/words";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Table } from "../../ui/Table";

const fleetQuery = (hours: number) =>
  queryOptions({
    queryKey: ["endpoints", "fleet", hours],
    queryFn: async ({ signal }) =>
      await ask(api.GET("/api/v1/fleet", { params: { query: { hours } }, signal })),
    refetchInterval: 30_000,
  });

const states = ["converged", "behind", "failing", "silent"] as const;
const spans = [
  { value: "1", label: "the last hour" },
  { value: "24", label: "the last day" },
  { value: "168", label: "the last week" },
  { value: "720", label: "the last 30 days" },
];

/** How the whole fleet stands, as one figure and over time. */
export function OverTime() {
  const { get, set } = useUrl();
  const hours = get("hours") || "24";
  const fleet = useQuery(fleetQuery(Number(hours)));
  if (fleet.isPending) return <Waiting what="the fleet" />;
  if (!fleet.data) return <Failure title="The fleet cannot be shown" problem={fleet.error} />;
  const f = fleet.data;
  if (f.part === null)
    return (
      <div className="mt-3">
        <Empty title="No endpoint has reported yet">
          How the fleet stands is noted once a minute, from the first report on.
        </Empty>
      </div>
    );
  const all = f.now.converged + f.now.behind + f.now.failing + f.now.silent;
  const samples = [...f.samples, f.now];
  return (
    <div className="mt-3 flex max-w-[80rem] flex-col gap-4">
      <p className="text-lg">
        <strong>{Math.floor(f.part * 1000) / 10} %</strong> of {count(all, "endpoint")} have what
        they should.
      </p>
      <p className="text-ink-2">
        {f.pace} {count(f.waiting, "agent")} connected here.
      </p>
      <div className="w-56">
        <Select
          label="Shown"
          value={hours}
          all=""
          options={spans}
          onChange={(v) => set("hours", v)}
        />
      </div>
      <Chart samples={samples} />
      <Table label="The fleet over time" heads={["When", ...states]}>
        {samples
          .filter(
            (_, i) =>
              i % Math.max(1, Math.ceil(samples.length / 10)) === 0 || i === samples.length - 1,
          )
          .reverse()
          .map((s) => (
            <tr key={s.at} className="border-b border-rule">
              <th scope="row" className="px-2 py-1 text-left font-normal">
                {stamp(s.at)}
              </th>
              {states.map((k) => (
                <td key={k} className="px-2 py-1">
                  {s[k]}
                </td>
              ))}
            </tr>
          ))}
      </Table>
    </div>
  );
}

const tones = {
  converged: "var(--color-good)",
  behind: "var(--color-warn)",
  failing: "var(--color-bad)",
  silent: "var(--color-ink-3)",
} as const;
const width = 1000;
const height = 220;

/** One band for each state, the failing ones at the bottom, where they are seen. Bands have patterns of their own, too. */
function Chart({ samples }: { samples: Sample[] }) {
  const first = samples[0];
  const last = samples[samples.length - 1];
  if (!first || !last || samples.length < 2)
    return <p className="text-ink-2">The drawing begins with the second minute.</p>;
  const from = Date.parse(first.at);
  const span = Math.max(1, Date.parse(last.at) - from);
  const most = Math.max(1, ...samples.map((s) => s.converged + s.behind + s.failing + s.silent));
  const x = (s: Sample) => ((Date.parse(s.at) - from) / span) * width;
  const y = (n: number) => height - (n / most) * height;
  const order = ["failing", "silent", "behind", "converged"] as const;
  const below = (s: Sample, k: (typeof order)[number]) =>
    order.slice(0, order.indexOf(k)).reduce((n, o) => n + s[o], 0);
  return (
    <figure aria-label="The fleet over time, as a drawing">
      <svg
        viewBox={`0 0 ${width} ${height}`}
        role="img"
        aria-label={`From ${stamp(first.at)} to ${stamp(last.at)}; the numbers stand in the table below`}
        className="h-56 w-full border border-rule-strong bg-sheet"
        preserveAspectRatio="none"
      >
        <defs>
          <pattern id="hatch" width="8" height="8" patternUnits="userSpaceOnUse">
            <path d="M0 8 8 0" stroke="var(--color-sheet)" strokeWidth="2" />
          </pattern>
          <pattern id="dots" width="8" height="8" patternUnits="userSpaceOnUse">
            <circle cx="4" cy="4" r="1.8" fill="var(--color-sheet)" />
          </pattern>
          <pattern id="bars" width="8" height="8" patternUnits="userSpaceOnUse">
            <path d="M4 0v8" stroke="var(--color-sheet)" strokeWidth="2" />
          </pattern>
        </defs>
        {order.map((k) => {
          const top = samples.map((s) => `${x(s)},${y(below(s, k) + s[k])}`);
          const bottom = samples.map((s) => `${x(s)},${y(below(s, k))}`).reverse();
          const points = [...top, ...bottom].join(" ");
          const over = {
            failing: "url(#hatch)",
            silent: "url(#dots)",
            behind: "url(#bars)",
            converged: "none",
          }[k];
          return (
            <g key={k}>
              <polygon
                points={points}
                fill={tones[k]}
                fillOpacity={k === "converged" ? 0.3 : 1}
                stroke={tones[k]}
                vectorEffect="non-scaling-stroke"
              />
              <polygon points={points} fill={over} />
            </g>
          );
        })}
      </svg>
      <figcaption className="mt-1 flex flex-wrap gap-x-5 text-ink-2">
        <span>{stamp(first.at)}</span>
        {states.map((k) => (
          <Mark key={k} of={k} />
        ))}
        <span className="ml-auto">
          {stamp(last.at)}; highest {most}
        </span>
      </figcaption>
    </figure>
  );
}
