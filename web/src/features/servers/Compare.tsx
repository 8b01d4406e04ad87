import { useQuery } from "@tanstack/react-query";
import type { ServerView } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { compareQuery } from "../../api/stock";
import { useUrl } from "../../lib/useUrl";
import { Mark } from "../../ui/Mark";
import { Select } from "../../ui/Select";

/** Two servers' queues side by side, deeper than by name. */
export function Compare({ servers }: { servers: ServerView[] }) {
  const { get, set } = useUrl();
  const names = servers.map((s) => s.name);
  const set1 = servers.find((s) => s.sets.length > 0);
  const first = get("first") || (set1?.name ?? names[0] ?? "");
  const second =
    get("second") ||
    (servers.find(
      (s) =>
        s.name !== first &&
        s.sets.some((x) => servers.find((o) => o.name === first)?.sets.includes(x)),
    )?.name ??
      names.find((n) => n !== first) ??
      "");
  const pairs = useQuery(compareQuery(first, second));
  const list = pairs.data ?? [];
  return (
    <>
      <div className="my-3 flex flex-wrap items-end gap-4">
        <Select
          label="One server"
          value={first}
          options={names}
          all=""
          onChange={(v) => set("first", v)}
        />
        <Select
          label="The other"
          value={second}
          options={names}
          all=""
          onChange={(v) => set("second", v)}
        />
        {pairs.data && (
          <p role="status" className="pb-1 text-ink-2">
            {list.filter((p) => p.same).length} of {list.length} queues are the same on both
          </p>
        )}
      </div>
      {pairs.error && <ProblemNotice title="They cannot be compared" error={pairs.error} />}
      {list.length > 0 && (
        <table aria-label="Comparison">
          <thead>
            <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
              <th scope="col" className="px-2 py-1 font-medium">
                Queue
              </th>
              <th scope="col" className="px-2 py-1 font-medium">
                {first}
              </th>
              <th scope="col" className="px-2 py-1 font-medium">
                {second}
              </th>
              <th scope="col" className="px-2 py-1 font-medium">
                What differs
              </th>
            </tr>
          </thead>
          <tbody>
            {list.map((p) => (
              <tr key={p.queue} className="border-b border-rule align-top">
                <th scope="row" className="px-2 py-1 text-left font-medium">
                  {p.queue}
                </th>
                <td className="px-2 py-1">
                  <Mark of={p.on === "second" ? "no" : "yes"}>
                    {p.on === "second" ? "missing" : "has it"}
                  </Mark>
                </td>
                <td className="px-2 py-1">
                  <Mark of={p.on === "first" ? "no" : "yes"}>
                    {p.on === "first" ? "missing" : "has it"}
                  </Mark>
                </td>
                <td className="px-2 py-1">
                  {p.on !== "both"
                    ? ""
                    : p.same
                      ? "nothing: driver, device, defaults and sharing agree"
                      : p.says.join("; ")}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
