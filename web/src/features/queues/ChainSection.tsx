import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, type Queue } from "../../api/client";
import { listingsQuery } from "../../api/directory";
import { draftDocumentQuery } from "../../api/drafts";
import { devicesQuery, driverReportQuery, foundQueuesQuery } from "../../api/stock";
import { Mark } from "../../ui/Mark";
import { chain } from "./chain";

const proofQuery = (queue: string) =>
  queryOptions({
    queryKey: ["endpoints", "proof", queue, 1],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/proof", { params: { query: { queue, limit: 1 } }, signal })),
  });

/** The whole chain of one queue, from the device to the endpoints. Asked for when it is opened. */
export function ChainSection({ queue }: { queue: Queue }) {
  const [open, setOpen] = useState(false);
  const devices = useQuery({ ...devicesQuery(), enabled: open });
  const found = useQuery({ ...foundQueuesQuery(), enabled: open });
  const report = useQuery({ ...driverReportQuery(), enabled: open });
  const proof = useQuery({ ...proofQuery(queue.name), enabled: open });
  const document = useQuery({ ...draftDocumentQuery(), enabled: open });
  const listings = useQuery({ ...listingsQuery(), enabled: open });
  const ready = devices.data && found.data && proof.data && document.data && listings.data;
  const steps = ready
    ? chain(queue, {
        devices: devices.data,
        found: found.data,
        report: report.data,
        proof: proof.data,
        listings: listings.data,
        sets: new Map((document.data.server_sets ?? []).map((s) => [s.name, s.members])),
      })
    : [];
  const bad = steps.filter((s) => s.mark === "no").length;
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        The whole chain, from the device to the endpoints
      </summary>
      {open && !ready && (
        <p role="status" className="text-ink-3">
          Putting it together…
        </p>
      )}
      {ready && (
        <>
          <p className="mt-1">
            {bad === 0 ? (
              <Mark of="yes">Nothing known is broken.</Mark>
            ) : (
              <Mark of="no">
                {bad} of {steps.length} links are broken.
              </Mark>
            )}
          </p>
          <ol className="mt-1 border-l-2 border-rule pl-3">
            {steps.map((s, i) => (
              <li key={i} className="grid grid-cols-[6rem_1fr] gap-x-2 py-1">
                <span className="text-ink-2">{s.what}</span>
                <Mark of={s.mark}>
                  {s.says}
                  {s.href && (
                    <>
                      {" "}
                      <Link to={s.href} aria-label={`See ${s.what.toLowerCase()}: ${s.says}`}>
                        see
                      </Link>
                    </>
                  )}
                </Mark>
              </li>
            ))}
          </ol>
        </>
      )}
    </details>
  );
}
