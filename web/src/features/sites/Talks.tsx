import { queryOptions, useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, askAll } from "../../api/client";
import { Mark } from "../../ui/Mark";
import { Table } from "../../ui/Table";

const talksQuery = (site: string) =>
  queryOptions({
    queryKey: ["endpoints", "paths", site],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/fleet/paths", { params: { query: { ...query, site } }, signal }),
      ),
    refetchInterval: 30_000,
  });
const shown = 200;

/** Which server, device or gateway each endpoint at a site leads to now, by its last report. */
export function Talks({ site }: { site: string }) {
  const list = useQuery(talksQuery(site));
  if (!list.data) return null;
  return (
    <section aria-labelledby="talks" className="mt-6">
      <h2 id="talks">Who leads where just now</h2>
      {list.data.length === 0 ? (
        <p className="text-ink-2">No endpoint that has reported is at this site.</p>
      ) : (
        <Table label="Who leads where" heads={["Endpoint", "Location", "Leads to", "Queues"]}>
          {list.data.slice(0, shown).map((t) => (
            <tr key={`${t.machine}/${t.kind}/${t.name}`} className="border-b border-rule align-top">
              <td className="px-2 py-1">
                <Link to={`/endpoints?endpoint=${encodeURIComponent(t.machine)}`}>{t.machine}</Link>
              </td>
              <td className="px-2 py-1">{t.location || "not known"}</td>
              <td className="px-2 py-1">
                {t.kind === "server" ? (
                  <Link to={`/servers?server=${encodeURIComponent(t.name ?? "")}`}>
                    server {t.name}
                  </Link>
                ) : t.kind === "device" ? (
                  <Link to={`/devices?device=${encodeURIComponent(t.name ?? "")}`}>
                    device {t.name}
                  </Link>
                ) : t.kind === "gateway" ? (
                  "the gateway"
                ) : (
                  <Mark of="warning">{t.name}, which the estate does not know</Mark>
                )}
              </td>
              <td className="px-2 py-1">{t.queues.join(", ")}</td>
            </tr>
          ))}
        </Table>
      )}
      {list.data.length > shown && (
        <p>
          and {list.data.length - shown} more:{" "}
          <code className="font-mono">cirque endpoint paths --site {site}</code>.
        </p>
      )}
    </section>
  );
}
