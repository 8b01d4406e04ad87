import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import type { Edit } from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { orphansQuery } from "../../api/stock";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";

/** What leads nowhere, and what nothing leads to. */
export function Orphans() {
  const client = useQueryClient();
  const orphans = useQuery(orphansQuery());
  const remove = useMutation({
    mutationFn: ({ of, names }: { of: Edit["list"]; names: string[] }) =>
      sendEdits(names.map((name) => ({ list: of, name, remove: true }))),
    onSuccess: () => draftChanged(client),
  });
  if (orphans.isPending) return <Waiting what="what nothing leads to" />;
  if (!orphans.data) return <Failure title="It cannot be shown" problem={orphans.error} />;
  const o = orphans.data;
  const queue = (n: string) => <Link to={`/queues?queue=${encodeURIComponent(n)}`}>{n}</Link>;
  const parts: [string, string[], (n: string) => ReactNode, Edit["list"]?][] = [
    [
      "Devices without a queue: nobody prints there",
      o.devices,
      (n) => <Link to={`/devices?device=${encodeURIComponent(n)}`}>{n}</Link>,
      "devices",
    ],
    ["Queues without a grant: nobody gets them", o.queues, queue, "queues"],
    [
      "Servers through which no path leads",
      o.servers,
      (n) => <Link to={`/servers?server=${encodeURIComponent(n)}`}>{n}</Link>,
      "servers",
    ],
    ["Drivers that no queue names", o.drivers, (n) => n, "drivers"],
    ["Addresses, reserved or answering, without a device", o.addresses, (n) => n],
    [
      "Queues on servers to which the estate does not lead",
      o.found,
      (n) => (
        <Link
          to={`/servers?show=queues&state=unlisted&find=${encodeURIComponent(n.split(": ")[1] ?? n)}`}
        >
          {n}
        </Link>
      ),
    ],
  ];
  return (
    <div className="mt-3 grid max-w-[80rem] gap-x-10 gap-y-5 lg:grid-cols-2">
      {parts.map(([head, list, show, of]) => (
        <section key={head} aria-label={head}>
          <h2>
            <Mark of={list.length > 0 ? "warning" : "yes"}>
              {head} ({list.length})
            </Mark>
          </h2>
          <ul className="mt-1 flex flex-wrap gap-x-4">
            {list.map((n) => (
              <li key={n} className="py-0.5">
                {show(n)}
              </li>
            ))}
          </ul>
          {list.length === 0 && <p className="text-ink-2">None.</p>}
          {of && list.length > 0 && (
            <div className="mt-1">
              <Button
                disabled={remove.isPending}
                onClick={() => remove.mutate({ of, names: list })}
              >
                Take {list.length === 1 ? "it" : `all ${list.length}`} out, in the draft
              </Button>
              {remove.isSuccess && remove.variables.of === of && (
                <span role="status" className="ml-3">
                  Kept in the draft.
                </span>
              )}
            </div>
          )}
          {remove.error && remove.variables?.of === of && (
            <ProblemNotice title="The draft was not changed" error={remove.error} />
          )}
        </section>
      ))}
    </div>
  );
}
