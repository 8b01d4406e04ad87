import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { keptServersQuery } from "../../api/kept";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { useMay } from "../../parts/useMay";
import { Copy } from "../../ui/Copy";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";
import { HaveKept } from "./HaveKept";
import { keptMarks, keptWords } from "./keptModel";

/** The print servers that Cirque makes and holds, and machines whose agents are ready to keep one. */
export function KeptList() {
  const list = useQuery(keptServersQuery());
  const now = useNow();
  const mayEdit = useMay("edit a draft");
  if (list.isPending) return <Waiting what="the kept servers" />;
  if (!list.data) return <Failure title="They cannot be shown" problem={list.error} />;
  if (list.data.length === 0)
    return (
      <div className="mt-3">
        <Empty title="No print server is kept by Cirque yet">
          A kept server has its shared queues made and held by Cirque’s agent on it, as the estate
          says. Say so of a server <Link to="/estate?list=servers">in the estate</Link>, and have
          its machine enrol: <Command of="cirque enrol token --server NAME" />
        </Empty>
      </div>
    );
  return (
    <div className="mt-3">
      <Table
        label="Kept servers"
        heads={["Server", "Machine", "Status", "Queues as wanted", "Others’ queues", "Last report"]}
      >
        {list.data.map((s) => (
          <tr key={`${s.server}/${s.machine}`} className="border-b border-rule align-top">
            <td className="px-2 py-1">
              {s.server ? (
                <Link to={`/servers?show=kept&server=${encodeURIComponent(s.server)}`}>
                  {s.server}
                </Link>
              ) : (
                "none of the estate"
              )}
            </td>
            <td className="px-2 py-1">{s.machine}</td>
            <td className="px-2 py-1">
              <Mark of={keptMarks[s.state]}>{keptWords[s.state]}</Mark>
              {s.state !== "as-wanted" && <p className="text-ink-2">{s.says}.</p>}
              {!s.server && mayEdit && <HaveKept machine={s.machine} />}
              {s.state === "waiting" && <Command of={`cirque enrol token --server ${s.server}`} />}
            </td>
            <td className="px-2 py-1">{s.server ? `${s.right} of ${s.wanted}` : ""}</td>
            <td className="px-2 py-1">{s.others}</td>
            <td className="px-2 py-1 whitespace-nowrap">
              {s.last_seen ? ago(s.last_seen, now) : "never"}
            </td>
          </tr>
        ))}
      </Table>
    </div>
  );
}

/** A command, small, beside what it is for. */
function Command({ of }: { of: string }) {
  return (
    <span className="whitespace-nowrap">
      <code className="font-mono text-[0.86em]">{of}</code> <Copy text={of} what="the command" />
    </span>
  );
}
