import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { foundDevicesQuery } from "../../api/stock";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Empty, Failure, Waiting } from "../../ui/Notice";

/** What answered and is not listed: registered, made into queues, or taken off the list. */
export function Found({
  onRegister,
  onAdopt,
}: {
  onRegister: (address: string) => void;
  onAdopt: (addresses: string[]) => void;
}) {
  const client = useQueryClient();
  const now = useNow();
  const found = useQuery(foundDevicesQuery());
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const forget = useMutation({
    mutationFn: (addresses: string[]) =>
      ask(api.POST("/api/v1/stock/found/forget", { body: { addresses } })),
    onSuccess: () => {
      setChosen(new Set());
      return client.invalidateQueries({ queryKey: ["stock"] });
    },
  });
  if (found.isPending) return <Waiting what="what was found" />;
  if (!found.data) return <Failure title="What was found cannot be shown" problem={found.error} />;
  if (found.data.length === 0)
    return (
      <div className="mt-3">
        <Empty title="Nothing unlisted is known">
          <Link to="/devices?show=scan">Scan a range</Link>; what answers and is not listed is
          proposed here.
        </Empty>
      </div>
    );
  const picked = found.data.filter((f) => chosen.has(f.address)).map((f) => f.address);
  const every = found.data.every((f) => chosen.has(f.address));
  return (
    <>
      <div className="my-3 flex flex-wrap items-center gap-3">
        <p role="status" className="text-ink-2">
          {count(found.data.length, "device")}
          {picked.length > 0 && `, ${picked.length} chosen`}
        </p>
        <Button disabled={picked.length === 0} onClick={() => onAdopt(picked)}>
          Make queues of them
        </Button>
        <Button disabled={picked.length === 0} onClick={() => forget.mutate(picked)}>
          Take them off the list
        </Button>
        {picked.length === 0 && <span className="text-ink-3">Choose some first.</span>}
      </div>
      <table aria-label="Found devices">
        <thead>
          <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
            <th scope="col" className="w-10 px-2">
              <input
                type="checkbox"
                className="size-[24px] accent-accent"
                aria-label="Choose all"
                checked={every}
                onChange={() =>
                  setChosen(every ? new Set() : new Set(found.data.map((f) => f.address)))
                }
              />
            </th>
            {["Address", "Model", "Serial", "Hardware address", "Says it is at", "Found", ""].map(
              (h) => (
                <th key={h} scope="col" className="px-2 py-1 font-medium">
                  {h || <span className="sr-only">What to do</span>}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {found.data.map((f) => (
            <tr key={f.address} className="border-b border-rule">
              <td className="px-2">
                <input
                  type="checkbox"
                  className="size-[24px] accent-accent"
                  aria-label={`Choose ${f.address}`}
                  checked={chosen.has(f.address)}
                  onChange={() =>
                    setChosen((old) => {
                      const next = new Set(old);
                      if (!next.delete(f.address)) next.add(f.address);
                      return next;
                    })
                  }
                />
              </td>
              <th scope="row" className="px-2 py-1 text-left font-medium">
                {f.address}
              </th>
              <td className="px-2">{f.reading.model || "not told"}</td>
              <td className="px-2">{f.reading.serial}</td>
              <td className="px-2 font-mono text-[0.93em]">{f.reading.mac}</td>
              <td className="px-2">{f.reading.location}</td>
              <td className="px-2">{ago(f.at, now)}</td>
              <td className="px-2">
                <button
                  type="button"
                  className="min-h-[24px] underline"
                  onClick={() => onRegister(f.address)}
                  aria-label={`Register ${f.address}`}
                >
                  register
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
