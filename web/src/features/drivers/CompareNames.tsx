import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { Exact } from "../../ui/Exact";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";

/** Two names letter by letter, spaces too; with one, against the nearest that is known. */
export function CompareNames() {
  const { get, set } = useUrl();
  const [a, setA] = useUrlText(get("a"), (w) => set("a", w));
  const [b, setB] = useUrlText(get("b"), (w) => set("b", w));
  const compared = useQuery({
    queryKey: ["drivers", "compare", get("a"), get("b")],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/v1/drivers/compare", {
          params: { query: { a: get("a"), b: get("b") } },
          signal,
        }),
      ),
    enabled: get("a") !== "",
    retry: false,
  });
  const c = compared.data;
  const row = (side: "a" | "b") => (
    <tr>
      <th scope="row" className="pr-4 text-left font-medium">
        {side === "a" ? "One" : get("b") ? "The other" : "The nearest known"}
      </th>
      <td className="py-1 text-[1.25rem]">
        {c?.parts.map((p, i) =>
          p.same ? (
            <Exact key={i} text={p[side]} />
          ) : (
            <mark key={i} className="border-b-2 border-bad bg-bad-wash text-ink">
              {p[side] ? (
                <Exact text={p[side]} />
              ) : (
                <span className="font-mono text-ink-3" aria-label="nothing">
                  ∅
                </span>
              )}
            </mark>
          ),
        )}
      </td>
    </tr>
  );
  return (
    <div className="max-w-[70rem]">
      <div className="my-3 flex flex-wrap items-end gap-4">
        <label className="flex flex-col gap-1">
          One name
          <input
            className={`${inputLook} w-80 font-mono`}
            value={a}
            placeholder="Tarnhelm Label-2"
            onChange={(e) => setA(e.target.value)}
          />
        </label>
        <label className="flex flex-col gap-1">
          The other
          <input
            className={`${inputLook} w-80 font-mono`}
            value={b}
            placeholder="the nearest that is known"
            onChange={(e) => setB(e.target.value)}
          />
        </label>
      </div>
      {compared.error && <ProblemNotice title="They cannot be compared" error={compared.error} />}
      {c && (
        <>
          <table aria-label="Letter by letter" className="w-auto">
            <tbody>
              {row("a")}
              {row("b")}
            </tbody>
          </table>
          <p role="status" className="mt-2">
            <Mark of={c.equal ? "yes" : "no"}>
              {c.says.charAt(0).toUpperCase() + c.says.slice(1)}.
            </Mark>
          </p>
        </>
      )}
    </div>
  );
}
