import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { DriverPackage } from "../../api/client";
import { driverReportQuery } from "../../api/stock";
import { useUrl } from "../../lib/useUrl";
import { count } from "../../lib/words";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";

const most = 500;

/** Which queue lacks a driver for a platform on which somebody gets it; which drivers no package has; what nobody uses. */
export function DriverReport({ packages }: { packages: DriverPackage[] }) {
  const report = useQuery(driverReportQuery());
  const { get, set } = useUrl();
  if (report.isPending) return <Waiting what="the report: it looks at everybody" />;
  if (!report.data) return <Failure title="The report cannot be shown" problem={report.error} />;
  const r = report.data;
  const bad = r.holdings.filter((h) => h.state !== "found");
  const hole = (state: string) => state === "none" || state === "near" || state === "absent";
  const lacking = r.matrix.filter((row) => row.cells.some((c) => hole(c.state) && c.receive > 0));
  const rows = get("all") ? r.matrix : lacking;
  const nameOf = (digest: string) =>
    packages.find((p) => p.digest === digest)?.name ?? digest.slice(0, 12);
  return (
    <div className="mt-3 flex flex-col gap-6">
      <section aria-labelledby="names-off">
        <h2 id="names-off">
          <Mark of={bad.length > 0 ? "no" : "yes"}>
            Drivers of the estate that no package has to the letter ({bad.length} of{" "}
            {r.holdings.length})
          </Mark>
        </h2>
        <ul className="mt-1">
          {bad.map((h) => (
            <li key={h.driver} className="border-b border-rule py-1.5">
              <strong className="font-medium">{h.driver}</strong> <Exact text={h.exact} /> for{" "}
              {h.platform}: {h.says}.{" "}
              <span className="text-ink-2">
                {h.queues.length > 0 ? `Named by ${h.queues.join(", ")}.` : "No queue names it."}
              </span>{" "}
              {h.near && (
                <Link
                  to={`/drivers?show=compare&a=${encodeURIComponent(h.exact)}&b=${encodeURIComponent(h.near)}`}
                >
                  Letter by letter
                </Link>
              )}
            </li>
          ))}
        </ul>
      </section>
      <section aria-labelledby="holes">
        <h2 id="holes">
          <Mark of={lacking.length > 0 ? "no" : "yes"}>
            {lacking.length > 0
              ? `${count(lacking.length, "queue")} without a working driver where somebody gets them`
              : "Every queue has a driver, and a package for it, on every platform on which somebody gets it"}
          </Mark>
        </h2>
        <label className="mt-1 flex min-h-[24px] items-center gap-2">
          <input
            type="checkbox"
            className="size-[18px] accent-accent"
            checked={get("all") !== ""}
            onChange={(e) => set("all", e.target.checked ? "yes" : "")}
          />
          all {count(r.matrix.length, "queue")}
        </label>
        {rows.length > 0 && (
          <table className="mt-1" aria-label="Queues by platform">
            <thead>
              <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
                <th scope="col" className="px-2 py-1 font-medium">
                  Queue
                </th>
                {r.matrix[0]?.cells.map((c) => (
                  <th key={c.platform} scope="col" className="px-2 py-1 font-medium">
                    {c.platform}
                    <span className="block font-normal">{count(c.machines, "machine")}</span>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.slice(0, most).map((row) => (
                <tr key={row.queue} className="border-b border-rule align-top">
                  <th scope="row" className="px-2 py-1 text-left font-medium">
                    <Link to={`/queues?queue=${encodeURIComponent(row.queue)}`}>{row.queue}</Link>
                  </th>
                  {row.cells.map((c) => (
                    <td key={c.platform} className="px-2 py-1">
                      <Mark of={!hole(c.state) ? "yes" : c.receive > 0 ? "no" : "idle"}>
                        {c.state === "none" ? "none" : c.driver}
                        {(c.state === "near" || c.state === "absent") && ", in no package"}
                      </Mark>
                      {c.receive > 0 && (
                        <span className={`block ${hole(c.state) ? "text-bad" : "text-ink-3"}`}>
                          {c.receive} get it
                        </span>
                      )}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {rows.length > most && (
          <p className="text-ink-2">
            and {rows.length - most} more:{" "}
            <code className="font-mono">cirque driver report --all</code>.
          </p>
        )}
        <p className="mt-1 text-ink-2">
          “get it” counts people and machines in the contexts in which they were last seen; of
          whoever was not seen on a platform nothing is counted.
        </p>
      </section>
      {r.trouble.length > 0 && (
        <section aria-labelledby="trouble">
          <h2 id="trouble">
            <Mark of="no">Drivers that endpoints could not install ({r.trouble.length})</Mark>
          </h2>
          <ul className="mt-1">
            {r.trouble.map((x, i) => (
              <li key={i} className="border-b border-rule py-1">
                <strong className="font-medium">{x.driver}</strong> on{" "}
                <Link to={`/endpoints?endpoint=${encodeURIComponent(x.machine)}`}>{x.machine}</Link>
                {x.remote && ", which hosts remote sessions"}, for {x.queue}: {x.says}.
              </li>
            ))}
          </ul>
        </section>
      )}
      <div className="grid gap-6 lg:grid-cols-2">
        <section aria-label="Packages without use">
          <h2>Packages without use</h2>
          <ul>
            {r.unused.map((d) => (
              <li key={d}>
                <Link to={`/drivers?package=${d}`}>{nameOf(d)}</Link>: no driver of the estate is of
                it
              </li>
            ))}
            {r.superseded.map((d) => (
              <li key={d}>
                <Link to={`/drivers?package=${d}`}>{nameOf(d)}</Link>: newer ones have all that is
                used
              </li>
            ))}
          </ul>
          {r.unused.length + r.superseded.length === 0 && <p className="text-ink-2">None.</p>}
        </section>
        <section aria-label="Without their maker’s driver">
          <h2>Queues without their maker’s driver, though a package has one</h2>
          <p>
            {r.generic.map((q, i) => (
              <span key={q}>
                {i > 0 && ", "}
                <Link to={`/queues?queue=${encodeURIComponent(q)}`}>{q}</Link>
              </span>
            ))}
          </p>
          {r.generic.length === 0 && <p className="text-ink-2">None.</p>}
          <p className="text-ink-2">
            That is no fault where driverless printing does all that people need.
          </p>
        </section>
      </div>
    </div>
  );
}
