import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { DriverChoice, DriverPackage } from "../../api/client";
import { draftChanged, draftDocumentQuery, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { devicesQuery, namesQuery } from "../../api/stock";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { count } from "../../lib/words";
import { Copy } from "../../ui/Copy";
import { Exact } from "../../ui/Exact";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Select } from "../../ui/Select";

const slug = (s: string) =>
  s
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "")
    .slice(0, 60);

/** Exact names as packages and servers have them: found by part of a name or for a model, copied, taken as drivers. */
export function Names({ packages }: { packages: DriverPackage[] }) {
  const client = useQueryClient();
  const { get, set } = useUrl();
  const [find, setFind] = useUrlText(get("find"), (w) => set("find", w));
  const devices = useQuery(devicesQuery());
  const document = useQuery(draftDocumentQuery());
  const [model, platform] = [get("model"), get("platform")];
  const names = useQuery(
    namesQuery({
      ...(model && { model }),
      ...(platform && { platform }),
      ...(find && { find }),
      limit: 200,
    }),
  );
  const models = [
    ...new Set(
      (devices.data ?? []).map((d) => d.reading?.model).filter((m): m is string => Boolean(m)),
    ),
  ].sort();
  const drafted = document.data?.drivers ?? [];
  const take = useMutation({
    mutationFn: (c: DriverChoice) => {
      let name = slug(`${c.exact} ${c.platform?.split("/")[1] ?? c.platform ?? ""}`);
      for (let n = 2; drafted.some((d) => d.name === name); n++) name = `${slug(c.exact)}-${n}`;
      return sendEdits([
        {
          list: "drivers",
          name,
          object: { name, exact: c.exact, platform: c.platform },
          create: true,
        },
      ]);
    },
    onSuccess: async () => {
      await draftChanged(client);
      await client.invalidateQueries({ queryKey: ["drivers"] });
    },
  });
  const known = (c: DriverChoice) =>
    drafted.find((d) => d.exact === c.exact && d.platform === c.platform)?.name;
  return (
    <>
      <div className="my-3 flex flex-wrap items-end gap-4">
        <label className="flex flex-col gap-1">
          Find
          <input
            type="search"
            className={`${inputLook} w-64`}
            placeholder="any part of a name"
            value={find}
            onChange={(e) => setFind(e.target.value)}
          />
        </label>
        <Select
          label="For the model"
          value={model}
          options={models}
          all="any"
          onChange={(v) => set("model", v)}
        />
        <Select
          label="Platform"
          value={platform}
          options={[...new Set(packages.flatMap((p) => p.models.map((m) => m.platform)))].sort()}
          onChange={(v) => set("platform", v)}
        />
        {names.data && (
          <p role="status" className="pb-1 text-ink-2">
            {names.data.choices.length} of {count(names.data.total, "name")}; spaces are shown as ·
          </p>
        )}
      </div>
      {take.error && <ProblemNotice title="The draft was not changed" error={take.error} />}
      {names.error && <ProblemNotice title="The names cannot be shown" error={names.error} />}
      <table aria-label="Exact names">
        <thead>
          <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
            {[
              "Exact name",
              "Platform",
              "Language",
              "Version",
              "Known from",
              "Driver in the estate",
            ].map((h) => (
              <th key={h} scope="col" className="px-2 py-1 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {(names.data?.choices ?? []).map((c) => (
            <tr key={`${c.exact}/${c.platform}`} className="border-b border-rule align-top">
              <th scope="row" className="px-2 py-1 text-left font-normal">
                <Exact text={c.exact} /> <Copy text={c.exact} what={c.exact} />
                {c.marked && (
                  <span className="block">
                    <Mark of="yes">
                      <strong className="font-medium">take this one</strong>: {c.why}
                    </Mark>
                  </span>
                )}
                {c.fits && !c.marked && (
                  <span className="block">
                    <Mark of="idle">fits the model as well</Mark>
                  </span>
                )}
              </th>
              <td className="px-2 py-1 whitespace-nowrap">{c.platform || "not told"}</td>
              <td className="px-2 py-1">{c.language}</td>
              <td className="px-2 py-1">
                {c.version}
                <span className="block whitespace-nowrap text-ink-2">{c.date}</span>
              </td>
              <td className="px-2 py-1">
                {[
                  c.packages.length > 0 && count(c.packages.length, "package"),
                  ...c.servers,
                  ...(c.places ?? []).map((p) => `the spooler at ${p}`),
                ]
                  .filter(Boolean)
                  .join(", ")}
              </td>
              <td className="px-2 py-1">
                {known(c) ??
                  (c.platform ? (
                    <button
                      type="button"
                      className="min-h-[24px] text-left whitespace-nowrap underline"
                      aria-label={`take it into the draft: ${c.exact} for ${c.platform}`}
                      onClick={() => take.mutate(c)}
                    >
                      take it into the draft
                    </button>
                  ) : (
                    "load its package first"
                  ))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {names.data?.choices.length === 0 && (
        <p className="mt-2 text-ink-2">No name fits. Load the package that has it, or type less.</p>
      )}
    </>
  );
}
