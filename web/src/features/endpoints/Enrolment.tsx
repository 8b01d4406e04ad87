import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, askAll } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago, stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Table } from "../../ui/Table";
import { sitesQuery } from "../../api/access";
import { LetIn } from "./LetIn";

const enrolledQuery = () =>
  queryOptions({
    queryKey: ["enrolment", "machines"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/enrolments", { params: { query }, signal })),
  });
const tokensQuery = () =>
  queryOptions({
    queryKey: ["enrolment", "tokens"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/enrolment-tokens", { params: { query }, signal })),
  });

/** Machines whose agents have certificates, and the tokens with which more may come. */
export function Enrolment({ mayEnrol }: { mayEnrol: boolean }) {
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-[1fr_24rem]">
      <div className="flex flex-col gap-6">
        <Machines mayRevoke={mayEnrol} />
        <Tokens mayEnd={mayEnrol} />
      </div>
      {mayEnrol && (
        <div className="flex flex-col gap-8">
          <LetIn />
          <MakeToken />
        </div>
      )}
    </div>
  );
}

function Machines({ mayRevoke }: { mayRevoke: boolean }) {
  const client = useQueryClient();
  const now = useNow();
  const list = useQuery(enrolledQuery());
  const revoke = useMutation({
    mutationFn: (machine: string) =>
      ask(api.DELETE("/api/v1/enrolments/{machine}", { params: { path: { machine } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["enrolment"] }),
  });
  if (list.isPending) return <Waiting what="the machines" />;
  if (!list.data) return <Failure title="The machines cannot be shown" problem={list.error} />;
  return (
    <section aria-label="Enrolled machines">
      <h2>Enrolled machines</h2>
      {list.data.length === 0 ? (
        <p className="text-ink-2">
          None. Agents with a token of their own are not here; enrolled ones make a key themselves,
          and renew by themselves.
        </p>
      ) : (
        <Table label="Enrolled machines" heads={["Machine", "Site", "Enrolled", "Certificate", ""]}>
          {list.data.map((e) => (
            <tr key={e.serial} className="border-b border-rule align-baseline">
              <th scope="row" className="px-2 py-1 text-left font-medium">
                {e.machine}
              </th>
              <td className="px-2 py-1">{e.site || "not known"}</td>
              <td className="px-2 py-1">
                {ago(e.at, now)} with {e.by}
              </td>
              <td className="px-2 py-1">
                {e.revoked_at ? (
                  <Mark of="no">
                    revoked by {e.revoked_by}, {ago(e.revoked_at, now)}
                  </Mark>
                ) : Date.parse(e.expires_at) < now ? (
                  <Mark of="warning">ended {e.expires_at.slice(0, 10)}</Mark>
                ) : (
                  <Mark of="yes">until {e.expires_at.slice(0, 10)}</Mark>
                )}
              </td>
              <td className="px-2 py-1">
                {mayRevoke && !e.revoked_at && (
                  <button
                    type="button"
                    className="min-h-[24px] underline"
                    aria-label={`Revoke ${e.machine}`}
                    onClick={() => revoke.mutate(e.machine)}
                  >
                    revoke
                  </button>
                )}
              </td>
            </tr>
          ))}
        </Table>
      )}
      {revoke.error && <ProblemNotice title="The certificate is good still" error={revoke.error} />}
    </section>
  );
}

function Tokens({ mayEnd }: { mayEnd: boolean }) {
  const client = useQueryClient();
  const now = useNow();
  const list = useQuery(tokensQuery());
  const end = useMutation({
    mutationFn: (name: string) =>
      ask(api.DELETE("/api/v1/enrolment-tokens/{name}", { params: { path: { name } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["enrolment"] }),
  });
  if (!list.data || list.data.length === 0) return null;
  return (
    <section aria-label="Enrolment tokens">
      <h2>Enrolment tokens</h2>
      <Table label="Enrolment tokens" heads={["Token", "For", "Used", "Ends", ""]}>
        {list.data.map((t) => (
          <tr key={t.id} className="border-b border-rule">
            <th scope="row" className="px-2 py-1 text-left font-medium">
              {t.name}
            </th>
            <td className="px-2 py-1">{t.site || "any site"}</td>
            <td className="px-2 py-1">
              {t.used} of {t.uses}
            </td>
            <td className="px-2 py-1">
              {Date.parse(t.expires_at) < now ? "has ended" : stamp(t.expires_at)}
            </td>
            <td className="px-2 py-1">
              {mayEnd && (
                <button
                  type="button"
                  className="min-h-[24px] underline"
                  aria-label={`End the enrolment token ${t.name}`}
                  onClick={() => end.mutate(t.name)}
                >
                  end
                </button>
              )}
            </td>
          </tr>
        ))}
      </Table>
      {end.error && <ProblemNotice title="The token goes on" error={end.error} />}
    </section>
  );
}

function MakeToken() {
  const client = useQueryClient();
  const sites = useQuery(sitesQuery());
  const form = useForm({
    start: { name: "", site: "", uses: "1" },
    send: ({ name, site, uses }) =>
      ask(
        api.POST("/api/v1/enrolment-tokens", {
          body: { name: name.trim(), uses: Number(uses), ...(site && { site }) },
        }),
      ),
    onDone: () => client.invalidateQueries({ queryKey: ["enrolment"] }),
  });
  const { name, site, uses } = form.value;
  const made = form.result;
  const command =
    made && `cirque-agent enrol --service ${made.service || window.location.origin} --token-file -`;
  return (
    <Form
      label="Make an enrolment token"
      failed="The token was not made"
      form={form}
      foot={
        <>
          <Button
            kind="main"
            type="submit"
            disabled={form.busy || !name.trim() || !(Number(uses) > 0)}
          >
            Make the token
          </Button>
          {command && (
            <div role="status" className="border-l-2 border-accent bg-accent-wash px-3 py-2">
              <p>For {count(made.token.uses, "machine")}, shown this once:</p>
              <code className="font-mono break-all">{made.secret}</code>{" "}
              <Copy text={made.secret} what="the token" />
              <p className="mt-2">On the endpoint, with the token on standard input:</p>
              <code className="font-mono text-[0.86em] break-all">{command}</code>{" "}
              <Copy text={command} what="the command" />
            </div>
          )}
        </>
      }
    >
      <h2>Let machines enrol</h2>
      <Field label="Name" {...form.text("name")} required placeholder="such as brannoy-tills" />
      <Select
        label="Site"
        value={site}
        all="any site"
        options={(sites.data ?? []).map((s) => ({ value: s.path, label: s.title || s.path }))}
        onChange={(site) => form.change({ site })}
      />
      <Field
        label="Machines"
        type="number"
        min={1}
        max={100000}
        {...form.text("uses")}
        hint="How many may enrol with it, within a week."
      />
    </Form>
  );
}
