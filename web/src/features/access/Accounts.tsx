import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Failure, Waiting } from "../../ui/Notice";
import { Mark } from "../../ui/Mark";
import { Table } from "../../ui/Table";
import { Emergency, SignsInWith } from "./Emergency";
import { type Holding, HoldingFields, roleWord, where } from "./Holding";
import { accountsQuery, rulesQuery } from "../../api/access";
import { sourcesQuery } from "../../api/directory";
import { Select } from "../../ui/Select";

const helpDesk: Holding = { role: "help-desk", sites: [] };

/** Who signs in, with which role; and which people of a directory do. */
export function Accounts({ mayChange }: { mayChange: boolean }) {
  const client = useQueryClient();
  const accounts = useQuery(accountsQuery());
  const rules = useQuery(rulesQuery());
  const sources = useQuery(sourcesQuery());
  const signing = (sources.data ?? []).filter((s) => s.sign_in).map((s) => s.name);
  const fresh = () => client.invalidateQueries({ queryKey: ["access"] });
  const add = useForm({
    start: { name: "", password: "", as: helpDesk },
    send: ({ as, ...account }) =>
      ask(api.POST("/api/v1/accounts", { body: { ...account, ...as } })),
    onDone: fresh,
  });
  const remove = useMutation({
    mutationFn: (name: string) =>
      ask(api.DELETE("/api/v1/accounts/{name}", { params: { path: { name } } })),
    onSuccess: fresh,
  });
  const forget = useMutation({
    mutationFn: (name: string) =>
      ask(api.DELETE("/api/v1/accounts/{name}/factors", { params: { path: { name } } })),
    onSuccess: fresh,
  });
  const allow = useForm({
    start: { who: "", source: "", given: helpDesk },
    send: ({ who, source, given }) =>
      ask(
        api.POST("/api/v1/access-rules", {
          body: { who: who.trim(), ...(source && { source }), ...given },
        }),
      ),
    onDone: fresh,
  });
  const end = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/v1/access-rules/{id}", { params: { path: { id } } })),
    onSuccess: fresh,
  });
  if (accounts.isPending || rules.isPending) return <Waiting what="the accounts" />;
  if (!accounts.data || !rules.data)
    return (
      <Failure
        title="The accounts cannot be shown"
        problem={accounts.error ?? rules.error ?? new Error("no answer")}
      />
    );
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-[1fr_24rem]">
      <div className="flex flex-col gap-6">
        <section aria-label="Accounts">
          <h2>Accounts</h2>
          <Table
            label="Accounts"
            heads={["Account", "Role", "Does things at", "Signs in with", ""]}
          >
            {accounts.data.map((a) => (
              <tr key={a.name} className="border-b border-rule">
                <th scope="row" className="px-2 py-1 text-left font-medium">
                  {a.name}
                </th>
                <td className="px-2 py-1">
                  {a.role ? roleWord(a.role) : "none: not in the directory"}
                </td>
                <td className="px-2 py-1">{a.role ? where(a.sites, a.role) : ""}</td>
                <td className="px-2 py-1">
                  <SignsInWith account={a} />
                </td>
                <td className="flex gap-3 px-2 py-1">
                  {mayChange && !!a.factors && (
                    <button
                      type="button"
                      className="min-h-[24px] underline"
                      aria-label={`Forget factors of ${a.name}`}
                      onClick={() => forget.mutate(a.name)}
                    >
                      forget factors
                    </button>
                  )}
                  {mayChange && (
                    <button
                      type="button"
                      className="min-h-[24px] underline"
                      aria-label={`Remove the account ${a.name}`}
                      onClick={() => remove.mutate(a.name)}
                    >
                      remove
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </Table>
          {remove.error && <ProblemNotice title="The account stays" error={remove.error} />}
          {forget.error && <ProblemNotice title="They stay" error={forget.error} />}
          {forget.isSuccess && (
            <p role="status" className="mt-1">
              {forget.variables} signs in with the password alone now; their sessions are over.
            </p>
          )}
        </section>
        <section aria-label="People of a directory">
          <h2>People of a directory</h2>
          {rules.data.length === 0 ? (
            <p className="text-ink-2">
              Whoever signs in through a directory is a person, with their own lineup. No rule gives
              anybody more.
            </p>
          ) : (
            <Table
              label="Access rules"
              heads={["Who", "Directory", "People", "Role", "Does things at", "Since", ""]}
            >
              {rules.data.map((r) => (
                <tr key={r.id} className="border-b border-rule">
                  <th scope="row" className="px-2 py-1 text-left font-medium">
                    {r.who}
                  </th>
                  <td className="px-2 py-1">{r.source ?? <Mark of="warning">unknown</Mark>}</td>
                  <td className="px-2 py-1">
                    {r.people === 0 ? <Mark of="warning">nobody now</Mark> : r.people}
                  </td>
                  <td className="px-2 py-1">{roleWord(r.role)}</td>
                  <td className="px-2 py-1">{where(r.sites, r.role)}</td>
                  <td className="px-2 py-1">
                    {r.at.slice(0, 10)} by {r.author}
                  </td>
                  <td className="px-2 py-1">
                    {mayChange && (
                      <button
                        type="button"
                        className="min-h-[24px] underline"
                        aria-label={`End the rule for ${r.who}`}
                        onClick={() => end.mutate(r.id)}
                      >
                        end
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </Table>
          )}
          {rules.data.some((r) => !r.source) && (
            <p className="mt-1">
              A rule of an unknown directory is from before rules named theirs. It holds for nobody:
              end it, and give the role again.
            </p>
          )}
          <p className="mt-1 text-ink-2">
            A rule is about one directory, and nobody of another can hold it. Rules hold for
            directories whose people may sign in here; that is said of a source when it is added.
          </p>
          {end.error && <ProblemNotice title="The rule stays" error={end.error} />}
        </section>
      </div>
      {mayChange && (
        <div className="flex flex-col gap-8">
          <Emergency
            made={accounts.data.some((a) => a.emergency)}
            opened={accounts.data.find((a) => a.emergency)?.opened_at}
          />
          <Form
            label="Make an account"
            failed="The account was not made"
            form={add}
            foot={
              <Button
                kind="main"
                type="submit"
                disabled={add.busy || !add.value.name || !add.value.password}
              >
                Make the account
              </Button>
            }
          >
            <h2>Make an account</h2>
            <Field label="Name" {...add.text("name")} required autoComplete="off" />
            <Field
              label="Password"
              type="password"
              {...add.text("password")}
              required
              autoComplete="new-password"
              hint="12 characters or more."
            />
            <HoldingFields value={add.value.as} onChange={(as) => add.change({ as })} />
          </Form>
          <Form
            label="Give people of a directory a role"
            failed="The rule was not kept"
            form={allow}
            foot={
              <Button
                type="submit"
                disabled={
                  allow.busy ||
                  !allow.value.who.trim() ||
                  (signing.length > 1 && !allow.value.source)
                }
              >
                Give the role
              </Button>
            }
          >
            <h2>Give people of a directory a role</h2>
            <Field
              label="Who"
              {...allow.text("who")}
              required
              placeholder="group:help-desk"
              hint="everyone, user:NAME, group:NAME or unit:PATH."
            />
            {signing.length > 1 && (
              <Select
                label="Directory"
                value={allow.value.source}
                options={signing.map((name) => ({ value: name, label: name }))}
                all="choose one"
                onChange={(source) => allow.change({ source })}
              />
            )}
            <HoldingFields
              value={allow.value.given}
              onChange={(given) => allow.change({ given })}
            />
          </Form>
        </div>
      )}
    </div>
  );
}
