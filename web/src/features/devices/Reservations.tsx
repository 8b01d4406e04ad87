import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { download } from "../../lib/download";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { fileLook } from "../../ui/Field";

/** Reservations out to a DHCP server, and in from it to compare devices with. */
export function Reservations() {
  const client = useQueryClient();
  const out = useMutation({
    mutationFn: async (format: "csv" | "json") => ({
      format,
      ...(await ask(api.GET("/api/v1/stock/reservations", { params: { query: { format } } }))),
    }),
    onSuccess: (v) =>
      download(
        `reservations.${v.format}`,
        v.format === "csv" ? "text/csv" : "application/json",
        v.text,
      ),
  });
  const take = useMutation({
    mutationFn: async (f: File) =>
      ask(api.PUT("/api/v1/stock/reservations", { body: { name: f.name, text: await f.text() } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["stock"] }),
  });
  return (
    <div className="mt-3 grid max-w-[70rem] gap-8 lg:grid-cols-2">
      <section aria-label="Out">
        <h2>To a DHCP server</h2>
        <p className="mt-1 text-ink-2">
          One reservation for each device whose address and hardware address are known, so that its
          address stays.
        </p>
        <div className="mt-2 flex gap-2">
          <Button onClick={() => out.mutate("csv")}>Save as CSV</Button>
          <Button onClick={() => out.mutate("json")}>Save as the open DHCP server’s JSON</Button>
        </div>
        {out.error && <ProblemNotice title="Nothing was saved" error={out.error} />}
        {out.data?.lacking && out.data.lacking.length > 0 && (
          <>
            <p className="mt-2">{count(out.data.lacking.length, "device")} left out:</p>
            <ul className="list-disc pl-5">
              {out.data.lacking.map((l, i) => (
                <li key={i}>
                  <strong className="font-medium">{l.place}</strong>: {l.what}
                  {l.fix && `; ${l.fix}`}
                </li>
              ))}
            </ul>
          </>
        )}
      </section>
      <section aria-label="In">
        <h2>From a DHCP server</h2>
        <p className="mt-1 text-ink-2">
          Its configuration as JSON, or CSV with the columns mac, address and name. Devices that are
          said to be reserved otherwise are then pointed out.
        </p>
        <label className="mt-2 flex flex-col gap-1">
          Reservations file
          <input
            type="file"
            className={fileLook}
            accept=".json,.csv,.txt"
            onChange={(e) => {
              const f = e.target.files?.[0];
              if (f) take.mutate(f);
              e.target.value = "";
            }}
          />
        </label>
        {take.isPending && <p role="status">Reading it…</p>}
        {take.data && (
          <p role="status">
            {count(take.data.count, "reservation")} taken in. Devices that differ are under “not as
            written”.
          </p>
        )}
        {take.error && <ProblemNotice title="Nothing was taken in" error={take.error} />}
      </section>
    </div>
  );
}
