import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { DeviceView, EstateQueue } from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { devicesQuery } from "../../api/stock";
import { list } from "../../lib/words";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";

/** Options that people know, first; the others that the devices tell of follow. */
const known = [
  "sides",
  "print-color-mode",
  "media",
  "media-source",
  "print-quality",
  "finishings",
  "output-bin",
  "number-up",
];
const words: Record<string, Record<string, string>> = {
  "print-quality": { "3": "3 (draft)", "4": "4 (normal)", "5": "5 (high)" },
};
const numbers = new Set([
  "print-quality",
  "number-up",
  "orientation-requested",
  "finishings",
  "copies",
]);

/** The values that every device behind a queue takes, and the devices that told none. */
function supported(devices: DeviceView[]): { values: Map<string, string[]>; silent: string[] } {
  const told = devices.filter((d) => d.reading?.supported);
  const values = new Map<string, string[]>();
  told.forEach((d, i) => {
    for (const [k, v] of Object.entries(d.reading?.supported ?? {}))
      values.set(k, i === 0 ? v : (values.get(k) ?? []).filter((x) => v.includes(x)));
    for (const k of [...values.keys()]) if (!(k in (d.reading?.supported ?? {}))) values.delete(k);
  });
  return { values, silent: devices.filter((d) => !d.reading?.supported).map((d) => d.name) };
}

/** A queue's defaults, chosen among what its devices take; kept in the draft. */
export function DefaultsSection({ queue }: { queue: EstateQueue }) {
  const client = useQueryClient();
  const devices = useQuery(devicesQuery());
  const [chosen, setChosen] = useState<Record<string, unknown>>(queue.defaults ?? {});
  const behind = new Set([
    ...(queue.devices ?? []),
    ...(queue.paths ?? []).map((p) => p.device ?? ""),
  ]);
  const mine = (devices.data ?? []).filter((d) => behind.has(d.name));
  const { values, silent } = supported(mine);
  const save = useMutation({
    mutationFn: () => {
      const { defaults: _, ...rest } = queue;
      return sendEdits([
        {
          list: "queues",
          name: queue.name,
          object: Object.keys(chosen).length > 0 ? { ...rest, defaults: chosen } : rest,
        },
      ]);
    },
    onSuccess: () => draftChanged(client),
  });
  const options = [...new Set([...known, ...values.keys(), ...Object.keys(chosen)])].filter(
    (k) => values.has(k) || k in chosen,
  );
  const set = (k: string, v: string) =>
    setChosen((old) => {
      const { [k]: _, ...rest } = old;
      return v ? { ...rest, [k]: numbers.has(k) && /^\d+$/.test(v) ? Number(v) : v } : rest;
    });
  return (
    <details>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        Defaults, as its devices take them
      </summary>
      <div className="mt-2 flex flex-col gap-2">
        {silent.length > 0 && (
          <p className="text-ink-2">
            {list(silent)} told nothing of what {silent.length > 1 ? "they take" : "it takes"}:
            question {silent.length > 1 ? "them" : "it"} first.
          </p>
        )}
        {mine.length === 0 && (
          <p className="text-ink-2">No device is behind it, so nobody tells what it takes.</p>
        )}
        {mine.length > 1 && (
          <p className="text-ink-2">Only what all {mine.length} devices take can be chosen.</p>
        )}
        <div className="grid grid-cols-2 gap-x-4 gap-y-2">
          {options.map((k) => {
            const now = k in chosen ? String(chosen[k]) : "";
            const fits = values.get(k);
            const odd = now !== "" && fits !== undefined && !fits.includes(now);
            return (
              <label key={k} className="flex flex-col gap-0.5">
                <span className="font-mono text-[0.93em]">{k}</span>
                <select className={inputLook} value={now} onChange={(e) => set(k, e.target.value)}>
                  <option value="">as the device is set</option>
                  {odd && <option value={now}>{now}</option>}
                  {fits === undefined && now && <option value={now}>{now}</option>}
                  {fits?.map((v) => (
                    <option key={v} value={v}>
                      {words[k]?.[v] ?? v}
                    </option>
                  ))}
                </select>
                {odd && <Mark of="warning">the device does not take this</Mark>}
              </label>
            );
          })}
        </div>
        {save.error && <ProblemNotice title="The draft was not changed" error={save.error} />}
        <div className="flex items-center gap-3">
          <Button disabled={save.isPending || options.length === 0} onClick={() => save.mutate()}>
            Keep the defaults in the draft
          </Button>
          {save.isSuccess && <span role="status">Kept in the draft.</span>}
        </div>
      </div>
    </details>
  );
}
