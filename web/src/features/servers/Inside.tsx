import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { insideQuery } from "../../api/kept";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { Table } from "../../ui/Table";

const few = (list: string[], most = 6) =>
  list.length > most
    ? `${list.slice(0, most).join(", ")} and ${list.length - most} more`
    : list.join(", ");

/** A server's drivers, paper forms and ports. Asked for when it is opened. */
export function Inside({ server }: { server: string }) {
  const [open, setOpen] = useState(false);
  const inside = useQuery({ ...insideQuery(server), enabled: open });
  const v = inside.data;
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        Its drivers, paper forms and ports
      </summary>
      {inside.error && <ProblemNotice title="It cannot be told" error={inside.error} />}
      {v && v.drivers.length + v.forms.length + v.ports.length === 0 && (
        <p className="text-ink-2">It told of none, or has not been read.</p>
      )}
      {v && v.drivers.length > 0 && (
        <Table label="Drivers" heads={["Driver", "Version", "Packages here", "Queues"]}>
          {v.drivers.map((d) => (
            <tr key={d.exact} className="border-b border-rule align-top">
              <td className="px-2 py-1">
                <Exact text={d.exact} />
              </td>
              <td className="px-2 py-1">
                {d.version}
                {d.newer && <Mark of="behind">another package has it now</Mark>}
              </td>
              <td className="px-2 py-1">{d.packages.join(", ") || "none"}</td>
              <td className="px-2 py-1">{few(d.queues)}</td>
            </tr>
          ))}
        </Table>
      )}
      {v && v.forms.length > 0 && (
        <Table label="Paper forms" heads={["Form", "Queues", "Usual paper of"]}>
          {v.forms.map((f) => (
            <tr key={f.media} className="border-b border-rule align-top">
              <td className="px-2 py-1 font-mono text-[0.93em]">{f.media}</td>
              <td className="px-2 py-1">{few(f.queues)}</td>
              <td className="px-2 py-1">{few(f.default)}</td>
            </tr>
          ))}
        </Table>
      )}
      {v && v.ports.length > 0 && (
        <Table label="Ports" heads={["Port", "Device", "Queues"]}>
          {v.ports.map((p) => (
            <tr key={p.uri} className="border-b border-rule align-top">
              <td className="px-2 py-1 font-mono text-[0.93em]">{p.uri}</td>
              <td className="px-2 py-1">{p.device ?? "none of the estate"}</td>
              <td className="px-2 py-1">{few(p.queues)}</td>
            </tr>
          ))}
        </Table>
      )}
    </details>
  );
}
