import { useMutation } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { stamp } from "../lib/time";
import { Button } from "../ui/Button";
import { Mark } from "../ui/Mark";
import { Table } from "../ui/Table";
import { ProblemNotice } from "./ProblemNotice";

const states = {
  open: { mark: "yes", says: "open" },
  refused: { mark: "no", says: "refused: the host answers, and nothing listens there" },
  silent: { mark: "no", says: "silent: nothing comes back, as with a firewall in between" },
  "not-tried": { mark: "idle", says: "not tried" },
} as const;

/** The way from the service to servers or a device, tried where somebody asks for it. */
export function LineTest({ kind, names }: { kind: "server" | "device"; names: string[] }) {
  const trial = useMutation({
    mutationFn: async () => {
      const all = await Promise.all(
        names.map((name) =>
          ask(
            kind === "server"
              ? api.POST("/api/v1/stock/servers/{name}/line-test", { params: { path: { name } } })
              : api.POST("/api/v1/stock/devices/{name}/line-test", { params: { path: { name } } }),
          ),
        ),
      );
      return all.flatMap((a) => a.items);
    },
  });
  return (
    <div>
      <Button disabled={trial.isPending || names.length === 0} onClick={() => trial.mutate()}>
        Try name and ports
      </Button>
      {trial.error && <ProblemNotice title="The way was not tried" error={trial.error} />}
      {trial.data?.map((l) => (
        <div key={l.name} className="mt-2" role="status">
          <p>
            <strong className="font-medium">{l.name}</strong>:{" "}
            {l.resolved === "no" ? (
              <Mark of="no">{l.says}</Mark>
            ) : l.resolved === "table" ? (
              `${l.host} is led to a stand-in; no name was looked up`
            ) : l.resolved === "address" ? (
              `${l.host} is an address`
            ) : (
              `${l.host} is at ${l.addresses.join(", ")}`
            )}
            <span className="text-ink-2">, tried from the service, {stamp(l.at)}</span>
          </p>
          {l.resolved !== "no" && (
            <Table label={`Ports of ${l.name}`} heads={["Port", "For", "So it stands"]}>
              {l.ports.map((p) => (
                <tr key={p.port} className="border-b border-rule align-baseline">
                  <th scope="row" className="px-2 py-1 text-left font-medium">
                    {p.port}
                  </th>
                  <td className="px-2 py-1">
                    {p.for}
                    {p.needed && ", led to"}
                  </td>
                  <td className="px-2 py-1">
                    <Mark of={p.needed || p.state === "open" ? states[p.state].mark : "idle"}>
                      {states[p.state].says}
                      {p.says && `: ${p.says}`}
                    </Mark>
                  </td>
                </tr>
              ))}
            </Table>
          )}
        </div>
      ))}
    </div>
  );
}
