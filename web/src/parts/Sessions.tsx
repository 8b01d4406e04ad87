import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { sessionsQuery } from "../api/access";
import { api, ask } from "../api/client";
import { ago, stamp } from "../lib/time";
import { useNow } from "../lib/useNow";
import { Failure, Waiting } from "../ui/Notice";
import { Table } from "../ui/Table";
import { ProblemNotice } from "./ProblemNotice";

/** Who is signed in at the console, and where: everybody, or oneself. */
export function Sessions({ mayEnd = false }: { mayEnd?: boolean }) {
  const client = useQueryClient();
  const now = useNow();
  const sessions = useQuery(sessionsQuery());
  const end = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/v1/sessions/{id}", { params: { path: { id } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["access"] }),
  });
  if (sessions.isPending) return <Waiting what="the sessions" />;
  if (!sessions.data)
    return <Failure title="The sessions cannot be shown" problem={sessions.error} />;
  return (
    <section aria-label="Signed in at the console">
      <h2>Signed in at the console</h2>
      <Table label="Sessions" heads={["Account", "From", "Signed in", "Used", "Until", ""]}>
        {sessions.data.map((s) => (
          <tr key={s.id} className="border-b border-rule">
            <th scope="row" className="px-2 py-1 text-left font-medium">
              {s.account}
            </th>
            <td className="px-2 py-1">{s.remote}</td>
            <td className="px-2 py-1">{ago(s.created_at, now)}</td>
            <td className="px-2 py-1">{ago(s.used_at, now)}</td>
            <td className="px-2 py-1">{stamp(s.expires_at)}</td>
            <td className="px-2 py-1">
              {(mayEnd || s.own) && (
                <button
                  type="button"
                  className="min-h-[24px] underline"
                  aria-label={`End the session of ${s.account} from ${s.remote}`}
                  onClick={() => end.mutate(s.id)}
                >
                  end
                </button>
              )}
            </td>
          </tr>
        ))}
      </Table>
      {end.error && <ProblemNotice title="The session goes on" error={end.error} />}
    </section>
  );
}
