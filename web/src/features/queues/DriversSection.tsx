import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { EstateDriver, EstateQueue } from "../../api/client";
import { draftChanged, draftDocumentQuery, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { devicesQuery, driverReportQuery, namesQuery } from "../../api/stock";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Exact } from "../../ui/Exact";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { SecondLanguage } from "./SecondLanguage";

const everywhere = "*";

/** Which driver a queue has on which platform: chosen among exact names, never typed. */
export function DriversSection({ queue }: { queue: EstateQueue }) {
  const client = useQueryClient();
  const [open, setOpen] = useState(false);
  const document = useQuery(draftDocumentQuery());
  const devices = useQuery(devicesQuery());
  const model = devices.data?.find((d) => queue.devices?.includes(d.name))?.reading?.model ?? "";
  const names = useQuery({ ...namesQuery({ ...(model && { model }), limit: 500 }), enabled: open });
  const report = useQuery({ ...driverReportQuery(), enabled: open });
  const drivers = document.data?.drivers ?? [];
  const now = queue.drivers ?? {};
  const exactOf = (name: string) => drivers.find((d) => d.name === name)?.exact;
  const save = useMutation({
    mutationFn: ({
      platform,
      to,
      fresh,
    }: {
      platform: string;
      to: string;
      fresh?: EstateDriver | undefined;
    }) => {
      const { [platform]: _, ...rest } = now;
      const next = to ? { ...rest, [platform]: to } : rest;
      const { drivers: __, ...bare } = queue;
      return sendEdits([
        ...(fresh ? [{ list: "drivers", name: fresh.name, object: fresh } as const] : []),
        {
          list: "queues",
          name: queue.name,
          object: Object.keys(next).length > 0 ? { ...bare, drivers: next } : bare,
        },
      ]);
    },
    onSuccess: () => draftChanged(client),
  });
  const platforms = [
    ...new Set([
      ...Object.keys(now),
      ...drivers.map((d) => d.platform),
      ...(names.data?.choices ?? []).map((c) => c.platform ?? "").filter(Boolean),
    ]),
  ]
    .filter((p) => p !== everywhere)
    .sort();
  const choose = (platform: string, value: string) => {
    if (!value.startsWith("new ")) return save.mutate({ platform, to: value });
    const exact = value.slice(4);
    const slug = `${exact} ${platform.split("/").at(-1)}`
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-|-$/g, "")
      .slice(0, 60);
    let name = slug;
    for (let n = 2; drivers.some((d) => d.name === name); n++) name = `${slug}-${n}`;
    return save.mutate({ platform, to: name, fresh: { name, exact, platform } });
  };
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        Drivers, by their exact names
      </summary>
      <div className="mt-2 flex flex-col gap-3">
        <p className="text-ink-2">
          {model ? (
            <>Behind it is a {model}; names for it come first. </>
          ) : (
            "The model of its device is not known. "
          )}
          Names are those of the <Link to="/drivers">driver packages</Link>.
        </p>
        {platforms.map((platform) => {
          const mine = drivers.filter(
            (d) => d.platform === platform || d.platform === platform.split("/")[0],
          );
          const fresh = (names.data?.choices ?? []).filter(
            (c) => c.platform === platform && !mine.some((d) => d.exact === c.exact),
          );
          const value = now[platform] ?? "";
          const exact = exactOf(value);
          return (
            <div key={platform}>
              <label className="flex items-center gap-3">
                <span className="w-32">{platform}</span>
                <select
                  className={`${inputLook} min-w-0 flex-1`}
                  value={value}
                  disabled={save.isPending}
                  onChange={(e) => choose(platform, e.target.value)}
                >
                  <option value="">
                    {now[everywhere]
                      ? `as elsewhere: ${now[everywhere]}`
                      : Object.keys(now).length > 0
                        ? "none"
                        : "driverless"}
                  </option>
                  <option value="driverless">driverless</option>
                  {mine.map((d) => (
                    <option key={d.name} value={d.name}>
                      {d.exact} ({d.name})
                    </option>
                  ))}
                  {fresh.length > 0 && (
                    <optgroup label="New to the estate">
                      {fresh.map((c) => (
                        <option key={c.exact} value={`new ${c.exact}`}>
                          {c.marked ? "best: " : c.fits ? "fits: " : ""}
                          {c.exact}
                        </option>
                      ))}
                    </optgroup>
                  )}
                </select>
              </label>
              {exact && (
                <p className="pl-35 text-ink-2">
                  <Exact text={exact} /> <Copy text={exact} what={exact} />
                </p>
              )}
              {report.data?.trouble
                .filter((x) => x.driver === value)
                .map((x, j) => (
                  <p key={j}>
                    <Mark of="warning">
                      could not be installed on {x.machine}
                      {x.remote && ", which hosts remote sessions"}: {x.says}
                    </Mark>
                  </p>
                ))}
            </div>
          );
        })}
        <label className="flex items-center gap-3">
          <span className="w-32">elsewhere</span>
          <select
            className={inputLook}
            value={now[everywhere] ?? ""}
            disabled={save.isPending}
            onChange={(e) => save.mutate({ platform: everywhere, to: e.target.value })}
          >
            <option value="">{Object.keys(now).length > 0 ? "not to be had" : "driverless"}</option>
            <option value="driverless">driverless</option>
          </select>
        </label>
        {save.error && <ProblemNotice title="The draft was not changed" error={save.error} />}
        {save.isSuccess && (
          <p role="status">
            <Mark of="yes">Kept in the draft.</Mark>
          </p>
        )}
        {Object.keys(now).length > 0 && (
          <div>
            <Button
              disabled={save.isPending}
              onClick={() => {
                const { drivers: _, ...bare } = queue;
                void sendEdits([{ list: "queues", name: queue.name, object: bare }]).then(() =>
                  draftChanged(client),
                );
              }}
            >
              Driverless everywhere
            </Button>
          </div>
        )}
        {model && open && <SecondLanguage queue={queue} model={model} />}
      </div>
    </details>
  );
}
