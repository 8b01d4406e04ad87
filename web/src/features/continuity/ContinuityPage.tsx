import { useQuery } from "@tanstack/react-query";
import { serversQuery } from "../../api/stock";
import { useUrl } from "../../lib/useUrl";
import { Failure, Waiting } from "../../ui/Notice";
import { Sections } from "../../ui/Sections";
import { Duty } from "./Duty";
import { FailoverTests } from "./FailoverTests";
import { Sets } from "./Sets";

const sections = [
  ["", "Out of duty", "/continuity"],
  ["sets", "Sets", "/continuity?show=sets"],
  ["failover-tests", "Failover tests", "/continuity?show=failover-tests"],
] as const;

/** What keeps people printing when a server goes: duty, server sets, and the test that it works. */
export function ContinuityPage() {
  const servers = useQuery(serversQuery());
  const { get } = useUrl();
  const show = get("show");
  if (servers.isPending) return <Waiting what="the servers" />;
  if (!servers.data) return <Failure title="The servers cannot be shown" problem={servers.error} />;
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-6">
        <h1>Continuity</h1>
        <Sections label="Parts of this page" current={show} of={sections} />
      </div>
      {show === "sets" ? (
        <Sets servers={servers.data} />
      ) : show === "failover-tests" ? (
        <FailoverTests servers={servers.data} />
      ) : (
        <Duty servers={servers.data} />
      )}
    </>
  );
}
