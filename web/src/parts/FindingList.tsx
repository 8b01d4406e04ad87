import { Link } from "react-router";
import type { Finding } from "../api/client";
import { Mark } from "../ui/Mark";

/** Findings, each at its object, with what to do. */
export function FindingList({ label, findings }: { label: string; findings: Finding[] }) {
  return (
    <ul aria-label={label} className="flex flex-col gap-0.5">
      {findings.map((f, i) => (
        <li key={i}>
          <Mark of={f.severity}>
            <FindingObject finding={f} />: {f.says}; {f.fix}.
          </Mark>
        </li>
      ))}
    </ul>
  );
}

/** What a finding is about, as a link where it is looked at. */
export function FindingObject({ finding: f }: { finding: Finding }) {
  const to = lookAt(f.at);
  return to ? <Link to={to}>{f.object}</Link> : <strong className="font-medium">{f.object}</strong>;
}

/** Where the object of a finding is looked at; empty where it has no page yet. */
function lookAt({ list, name }: { list: string; name: string }): string {
  const called = encodeURIComponent(name);
  switch (list) {
    case "grants":
      return `/grants?grant=${called}`;
    case "queues":
      return `/queues?queue=${called}`;
    case "devices":
      return `/devices?device=${called}`;
    case "servers":
      return `/servers?server=${called}`;
    case "drivers":
      return "/drivers?show=report";
    case "server_sets":
      return "/continuity?show=sets";
  }
  return lists.includes(list) ? `/estate?list=${list}&open=${called}` : "";
}

/** The lists whose objects are looked at on the page of the estate. */
const lists = [
  "locations",
  "subnets",
  "stations",
  "notices",
  "promises",
  "charges",
  "allowances",
  "settings",
];
