import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { Factors } from "../../parts/Factors";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago } from "../../lib/time";
import { useMay } from "../../parts/useMay";
import { useNow } from "../../lib/useNow";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Field } from "../../ui/Field";
import { Failure, Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";
import { type Holding, HoldingFields, roleWord, where } from "./Holding";
import { tokensQuery } from "../../api/access";
import { Sessions } from "../../parts/Sessions";
import { meQuery } from "../../api/session";

/** Who is signed in at the console, and which programs have a way in. */
export function Keys() {
  const mayEnd = useMay("end other people's sessions");
  const manages = useMay("manage tokens");
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-[1fr_24rem]">
      <div className="flex flex-col gap-6">
        <Sessions mayEnd={mayEnd} />
        <Tokens />
        <Factors />
      </div>
      {manages && <MakeToken />}
    </div>
  );
}

function Tokens() {
  const client = useQueryClient();
  const now = useNow();
  const tokens = useQuery(tokensQuery());
  const me = useQuery(meQuery());
  const revoke = useMutation({
    mutationFn: (name: string) =>
      ask(api.DELETE("/api/v1/tokens/{name}", { params: { path: { name } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["access"] }),
  });
  const renew = useMutation({
    mutationFn: (name: string) =>
      ask(api.POST("/api/v1/tokens/{name}/secret", { params: { path: { name } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["access"] }),
  });
  if (tokens.isPending) return <Waiting what="the tokens" />;
  if (!tokens.data) return <Failure title="The tokens cannot be shown" problem={tokens.error} />;
  return (
    <section aria-label="Tokens">
      <h2>Tokens</h2>
      {tokens.data.length === 0 ? (
        <p className="text-ink-2">None.</p>
      ) : (
        <Table label="Tokens" heads={["Token", "May", "Made", "Last used", "Ends", ""]}>
          {tokens.data.map((t) => (
            <tr key={t.id} className="border-b border-rule align-baseline">
              <th scope="row" className="px-2 py-1 text-left font-medium">
                {t.name}
              </th>
              <td className="px-2 py-1">
                {t.account
                  ? `what ${t.account} may`
                  : t.role === "agent"
                    ? `speak for ${t.machine}`
                    : `${roleWord(t.role)}, ${where(t.sites)}`}
              </td>
              <td className="px-2 py-1">
                {t.created_at.slice(0, 10)} by {t.author}
              </td>
              <td className="px-2 py-1">{t.used_at ? ago(t.used_at, now) : "never"}</td>
              <td className="px-2 py-1">
                {t.expires_at
                  ? Date.parse(t.expires_at) < now
                    ? "has ended"
                    : t.expires_at.slice(0, 10)
                  : "never"}
              </td>
              <td className="flex gap-3 px-2 py-1">
                {(!t.account || t.account === me.data?.name?.toLowerCase()) && (
                  <button
                    type="button"
                    className="min-h-[24px] underline"
                    aria-label={`Renew the token ${t.name}`}
                    onClick={() => renew.mutate(t.name)}
                  >
                    renew
                  </button>
                )}
                <button
                  type="button"
                  className="min-h-[24px] underline"
                  aria-label={`Revoke the token ${t.name}`}
                  onClick={() => revoke.mutate(t.name)}
                >
                  revoke
                </button>
              </td>
            </tr>
          ))}
        </Table>
      )}
      {renew.data && <Once made={renew.data} />}
      {renew.error && <ProblemNotice title="The token keeps its secret" error={renew.error} />}
      {revoke.error && <ProblemNotice title="The token goes on" error={revoke.error} />}
    </section>
  );
}

/** A secret that is shown this once. */
function Once({ made }: { made: { token: { name: string }; secret: string } }) {
  return (
    <p role="status" className="mt-2 border-l-2 border-accent bg-accent-wash px-3 py-2">
      {made.token.name} is shown this once:{" "}
      <code className="font-mono break-all">{made.secret}</code>{" "}
      <Copy text={made.secret} what="the token" />
    </p>
  );
}

const auditor: Holding = { role: "auditor", sites: [] };

function MakeToken() {
  const client = useQueryClient();
  const form = useForm({
    start: { name: "", as: auditor, ends: "" },
    send: ({ name, as: { role, sites }, ends }) =>
      role === "person"
        ? Promise.reject(new Error("A token stands for no person."))
        : ask(
            api.POST("/api/v1/tokens", {
              body: { name, role, sites, ...(ends && { expires: `${ends}T00:00:00Z` }) },
            }),
          ),
    ofProblems: { expires: "ends" },
    onDone: () => client.invalidateQueries({ queryKey: ["access"] }),
  });
  const { name, as } = form.value;
  const made = form.result;
  return (
    <Form
      label="Make a token"
      failed="The token was not made"
      form={form}
      foot={
        <>
          <Button
            kind="main"
            type="submit"
            disabled={form.busy || !name.trim() || as.role === "person"}
          >
            Make the token
          </Button>
          {made && <Once made={made} />}
        </>
      }
    >
      <h2>Make a token</h2>
      <p className="text-ink-2">For a program. Nobody can give more than they have.</p>
      <Field label="Name" {...form.text("name")} required placeholder="which says who uses it" />
      <HoldingFields value={as} onChange={(as) => form.change({ as })} />
      <Field label="Ends on" type="date" {...form.text("ends")} hint="Never, when left empty." />
    </Form>
  );
}
