import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Fault } from "../../api/client";
import { ago, stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { count } from "../../lib/words";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Table } from "../../ui/Table";
import { faultsQuery } from "./queries";

const abouts = ["servers", "devices", "endpoints", "sets", "directory", "keys", "drafts"] as const;

/** Where something of a kind is looked at. */
function place(f: Fault): string {
  switch (f.about) {
    case "servers":
      return `/servers?server=${encodeURIComponent(f.name.split(" on ").at(-1) ?? f.name)}`;
    case "devices":
      return `/devices?device=${encodeURIComponent(f.name)}`;
    case "endpoints":
      return `/endpoints?endpoint=${encodeURIComponent(f.name)}`;
    case "sets":
      return "/continuity?show=sets";
    case "directory":
      return "/directory?show=sources";
    case "keys":
      return "/keys";
    case "drafts":
      return "/draft";
  }
}

/** What is wrong just now, the longest first, with how to mend it. */
export function Faults() {
  const list = useQuery(faultsQuery());
  const now = useNow();
  const { get, set } = useUrl();
  if (list.isPending) return <Waiting what="what is wrong" />;
  if (!list.data) return <Failure title="What is wrong cannot be shown" problem={list.error} />;
  if (list.data.length === 0)
    return (
      <div className="mt-3">
        <Empty title="Nothing that is watched is wrong">
          Servers, devices, endpoints, server sets, directories and keys are watched. Who is told of
          faults stands under <Link to="/?show=notices">notices</Link>.
        </Empty>
      </div>
    );
  const about = get("about");
  const rows = list.data.filter((f) => !about || f.about === about);
  return (
    <section aria-label="Faults" className="mt-3">
      <div className="flex flex-wrap items-end gap-4">
        <Select
          label="About"
          value={about}
          options={[...abouts]}
          onChange={(v) => set("about", v)}
        />
        <p role="status" className="pb-1 text-ink-2">
          {rows.length} of {count(list.data.length, "fault")}
        </p>
      </div>
      <Table label="Faults" heads={["Since", "What is wrong", "Location", "To mend it"]}>
        {rows.map((f) => (
          <tr key={f.key} className="border-b border-rule align-top">
            <td className="px-2 py-1 whitespace-nowrap">
              <time dateTime={f.since} title={stamp(f.since)}>
                {ago(f.since, now)}
              </time>
            </td>
            <td className="px-2 py-1">
              <Mark of="failing">
                <Link to={place(f)}>{f.says.charAt(0).toUpperCase() + f.says.slice(1)}</Link>
              </Mark>
              {f.owners && f.owners.length > 0 && (
                <p className="pl-5 text-ink-2">
                  On it wait jobs of {f.owners.map((o) => o.person).join(", ")}.
                </p>
              )}
            </td>
            <td className="px-2 py-1">{f.location || "–"}</td>
            <td className="px-2 py-1 text-ink-2">{f.fix}</td>
          </tr>
        ))}
      </Table>
    </section>
  );
}
