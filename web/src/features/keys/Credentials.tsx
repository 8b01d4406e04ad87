import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type NewCredential } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { credentialsQuery } from "../../api/stock";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";

const kinds = [
  { value: "sign-in", label: "a sign-in: name and password" },
  { value: "snmp", label: "an SNMP community" },
  { value: "snmp-usm", label: "an SNMP user with authentication and privacy" },
] as const;
const marks = { works: "yes", refused: "no", unproven: "silent" };
/** What is entered: where it is meant for, and when it ends, as texts. */
type Entered = Omit<NewCredential, "for" | "expires"> & { where: string; ends: string };
const blank: Entered = { name: "", kind: "sign-in", secret: "", where: "", ends: "" };

/** Keys to servers and devices: entered once, tried at once, sealed, never shown again. */
export function Credentials() {
  const client = useQueryClient();
  const now = useNow();
  const keys = useQuery(credentialsQuery());
  const fresh = () => client.invalidateQueries({ queryKey: ["stock"] });
  const form = useForm({
    start: blank,
    send: ({ where, ends, ...k }: Entered) =>
      ask(
        api.POST("/api/v1/credentials", {
          body: {
            ...k,
            for: where.split(/[\s,]+/).filter(Boolean),
            ...(ends && { expires: `${ends}T00:00:00Z` }),
          },
        }),
      ),
    ofProblems: { for: "where", expires: "ends" },
    onDone: fresh,
  });
  const k = form.value;
  const remove = useMutation({
    mutationFn: (name: string) =>
      ask(api.DELETE("/api/v1/credentials/{name}", { params: { path: { name } } })),
    onSuccess: fresh,
  });
  if (keys.isPending) return <Waiting what="the keys" />;
  if (!keys.data) return <Failure title="The keys cannot be shown" problem={keys.error} />;
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-[1fr_24rem]">
      <section aria-label="Stored keys">
        <p className="mb-2 text-ink-2">
          Secrets are encrypted with a key beside the data, and are never shown again. Give each the
          least that it needs: reading queues, no more.
        </p>
        {keys.data.length === 0 && (
          <p>
            No key is stored. Servers that want no sign-in need none; of devices the usual community
            is tried.
          </p>
        )}
        {keys.data.length > 0 && (
          <table aria-label="Stored keys">
            <thead>
              <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
                {["Key", "For", "State", "Entered", ""].map((h) => (
                  <th key={h} scope="col" className="px-2 py-1 font-medium">
                    {h || <span className="sr-only">What to do</span>}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {keys.data.map((c) => (
                <tr key={c.name} className="border-b border-rule align-top">
                  <th scope="row" className="px-2 py-1 text-left font-medium">
                    {c.name}
                    <span className="block font-normal text-ink-2">
                      {c.kind}
                      {c.user && ` of ${c.user}`}
                    </span>
                  </th>
                  <td className="px-2 py-1">
                    {c.for.join(", ") || "what names it"}
                    {c.allow_clear && <Mark of="warning">also without TLS</Mark>}
                  </td>
                  <td className="px-2 py-1">
                    <Mark of={marks[c.state]}>
                      <strong className="font-medium">{c.state}</strong>: {c.says}
                    </Mark>
                  </td>
                  <td className="px-2 py-1">
                    {ago(c.at, now)} by {c.author}
                    {c.expires && (
                      <span className="block">
                        {Date.parse(c.expires) - now < 14 * 86_400_000 ? (
                          <Mark of="warning">ends {c.expires.slice(0, 10)}</Mark>
                        ) : (
                          `ends ${c.expires.slice(0, 10)}`
                        )}
                      </span>
                    )}
                  </td>
                  <td className="px-2 py-1">
                    <button
                      type="button"
                      className="min-h-[24px] underline"
                      aria-label={`Forget the key ${c.name}`}
                      onClick={() => remove.mutate(c.name)}
                    >
                      forget
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {remove.error && <ProblemNotice title="The key was not forgotten" error={remove.error} />}
      </section>
      <Form
        label="Store a key"
        failed="The key was not stored"
        form={form}
        foot={
          <>
            {form.result && (
              <p role="status">
                <Mark of={marks[form.result.state]}>
                  {form.result.name} is stored; {form.result.state}: {form.result.says}.
                </Mark>
              </p>
            )}
            <Button kind="main" type="submit" disabled={form.busy || !k.name || !k.secret}>
              {form.busy ? "Trying it…" : "Try and store"}
            </Button>
          </>
        }
      >
        <h2>Store a key</h2>
        <Field label="Name" {...form.text("name")} required placeholder="such as branch-servers" />
        <Select
          label="Kind"
          value={k.kind}
          options={[...kinds]}
          all=""
          onChange={(v) =>
            form.change({ kind: kinds.find((o) => o.value === v)?.value ?? "sign-in" })
          }
        />
        {k.kind !== "snmp" && <Field label="User" {...form.text("user")} autoComplete="off" />}
        <Field
          label={
            k.kind === "sign-in"
              ? "Password"
              : k.kind === "snmp"
                ? "Community"
                : "Authentication key"
          }
          type="password"
          autoComplete="new-password"
          {...form.text("secret")}
          required
        />
        {k.kind === "snmp-usm" && (
          <Field
            label="Privacy key"
            type="password"
            autoComplete="new-password"
            {...form.text("privacy")}
          />
        )}
        <Field
          label="For"
          {...form.text("where")}
          placeholder={k.kind === "sign-in" ? "server:NAME" : "device:NAME"}
          hint={
            k.kind === "sign-in"
              ? "server:NAME, device:NAME, notice:NAME (its posts) or mail, divided by blanks. It goes nowhere else."
              : k.kind === "snmp"
                ? "device:NAME, or the addresses and networks of scans, divided by blanks."
                : "device:NAME, divided by blanks."
          }
        />
        {k.kind === "sign-in" && (
          <label className="flex min-h-[24px] items-center gap-2">
            <input
              type="checkbox"
              className="size-[24px] accent-accent"
              {...form.check("allow_clear")}
            />
            may be sent without TLS, where others can read it
          </label>
        )}
        <Field label="Ends on" type="date" {...form.text("ends")} />
      </Form>
    </div>
  );
}
