import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, ProblemError } from "../api/client";
import { factorsQuery } from "../api/proof";
import type { components } from "../api/schema";
import { makePasskey, passkeysHere } from "../lib/passkey";
import { ago } from "../lib/time";
import { useNow } from "../lib/useNow";
import { Button } from "../ui/Button";
import { Copy } from "../ui/Copy";
import { Field } from "../ui/Field";
import { Failure, Waiting } from "../ui/Notice";
import { Table } from "../ui/Table";
import { Form } from "./Form";
import { ProblemNotice } from "./ProblemNotice";
import { useForm } from "./useForm";

type Setup = components["schemas"]["SetupFactor"];

/** Why an account has none here, which is nothing to mend. */
const elsewhere = ["factors-elsewhere", "account-emergency"];
const kinds = { code: "one-time codes", passkey: "passkey" };

/** What one shows besides the password: what there is, and another. */
export function Factors() {
  const client = useQueryClient();
  const now = useNow();
  const factors = useQuery({ ...factorsQuery(), retry: false });
  const [codes, setCodes] = useState<string[]>();
  const fresh = async (made?: string[]) => {
    if (made) setCodes(made);
    await client.invalidateQueries({ queryKey: ["access"] });
  };
  const remove = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/v1/session/factors/{id}", { params: { path: { id } } })),
    onSuccess: () => fresh(),
  });
  const sheet = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/session/recovery-codes")),
    onSuccess: (v) => fresh(v.codes),
  });
  if (factors.isPending) return <Waiting what="the second factors" />;
  if (!factors.data) {
    const e = factors.error;
    return e instanceof ProblemError && elsewhere.includes(e.problem.code) ? (
      <section aria-label="Second factors">
        <h2>Second factors</h2>
        <p className="max-w-[46rem] text-ink-2">None here: {e.message}.</p>
      </section>
    ) : (
      <Failure title="The second factors cannot be shown" problem={e} />
    );
  }
  const { items, recovery_codes_left: left, passkeys_off: off, passkey_host: host } = factors.data;
  return (
    <section aria-label="Second factors">
      <h2>Second factors</h2>
      <p className="max-w-[46rem] text-ink-2">
        What you show besides the password when you sign in.
        {factors.data.demanded && " Of your role one is demanded."}
      </p>
      {items.length > 0 && (
        <Table label="Second factors" heads={["Name", "Kind", "Set up", "Shown last", ""]}>
          {items.map((f) => (
            <tr key={f.id} className="border-b border-rule">
              <th scope="row" className="px-2 py-1 text-left font-medium">
                {f.name}
              </th>
              <td className="px-2 py-1">{kinds[f.kind]}</td>
              <td className="px-2 py-1">{ago(f.created_at, now)}</td>
              <td className="px-2 py-1">{f.used_at ? ago(f.used_at, now) : "never"}</td>
              <td className="px-2 py-1">
                <button
                  type="button"
                  className="min-h-[24px] underline"
                  aria-label={`Remove ${f.name}`}
                  onClick={() => remove.mutate(f.id)}
                >
                  remove
                </button>
              </td>
            </tr>
          ))}
        </Table>
      )}
      {remove.error && <ProblemNotice title="It stays" error={remove.error} />}
      {items.length > 0 && (
        <p className="mt-2">
          {left === 0 ? "No recovery code is left" : `${left} recovery codes are left`}.{" "}
          <button type="button" className="min-h-[24px] underline" onClick={() => sheet.mutate()}>
            Make a new sheet of them
          </button>
        </p>
      )}
      {sheet.error && <ProblemNotice title="The sheet stays as it was" error={sheet.error} />}
      {codes && <Sheet codes={codes} onKept={() => setCodes(undefined)} />}
      <AddFactor off={off ?? passkeysHere(host)} onMade={fresh} />
    </section>
  );
}

/** Recovery codes, shown this once. */
function Sheet({ codes, onKept }: { codes: string[]; onKept: () => void }) {
  return (
    <div role="status" className="mt-3 border-l-2 border-accent bg-accent-wash px-3 py-2">
      <p className="font-medium">
        Write these recovery codes down, or print them: they are shown this once
      </p>
      <p>Each lets you in once, in place of the device that you may lose.</p>
      <ul className="my-2 grid max-w-[30rem] grid-cols-2 gap-x-6 font-mono">
        {codes.map((c) => (
          <li key={c}>{c}</li>
        ))}
      </ul>
      <div className="flex items-center gap-3">
        <Button onClick={onKept}>I have them</Button>
        <Copy text={codes.join("\n")} what="the recovery codes" />
      </div>
    </div>
  );
}

type AddFactorProps = {
  off: string | undefined;
  onMade: (recovery?: string[]) => Promise<void>;
};

/** Sets up another: a passkey in one go, one-time codes in two. */
function AddFactor({ off, onMade }: AddFactorProps) {
  const [setup, setSetup] = useState<Setup>();
  const done = async (made: { recovery_codes?: string[] }) => {
    setSetup(undefined);
    codes.change({ name: "" });
    await onMade(made.recovery_codes);
  };
  const begin = (kind: "code" | "passkey", name: string) =>
    ask(api.POST("/api/v1/session/factors/begin", { body: { kind, name } }));
  const finish = (body: { ticket: string; code?: string; passkey?: unknown }) =>
    ask(api.POST("/api/v1/session/factors", { body }));
  const codes = useForm({
    start: { name: "" },
    keeps: true,
    send: ({ name }) => begin("code", name.trim()),
    onDone: setSetup,
  });
  const key = useForm({
    start: {},
    send: async () => {
      const { ticket, passkey } = await begin("passkey", codes.value.name.trim());
      return finish({ ticket, passkey: await makePasskey(passkey) });
    },
    onDone: done,
  });
  const check = useForm({
    start: { code: "" },
    send: ({ code }) => finish({ ticket: setup?.ticket ?? "", code: code.trim() }),
    onDone: done,
  });
  if (setup)
    return (
      <Form
        label="Set up one-time codes"
        failed="Nothing is set up yet"
        form={check}
        className="mt-4 max-w-[46rem] gap-3"
        foot={
          <div className="flex gap-3">
            <Button kind="main" type="submit" disabled={check.busy || !check.value.code.trim()}>
              Set it up
            </Button>
            <Button onClick={() => setSetup(undefined)}>Leave it</Button>
          </div>
        }
      >
        <h3 className="font-semibold">Have your authenticator read this</h3>
        <div className="flex flex-wrap items-start gap-4">
          {setup.picture && (
            <img src={setup.picture} width={240} height={240} alt="The secret as a QR code" />
          )}
          <div className="flex max-w-[20rem] flex-col gap-3">
            <p>
              Or type it there: <code className="font-mono break-all">{setup.secret}</code>{" "}
              <Copy text={setup.secret ?? ""} what="the secret" />
            </p>
            <Field
              label="The code that it shows now"
              inputMode="numeric"
              autoComplete="one-time-code"
              autoFocus
              required
              {...check.text("code")}
            />
          </div>
        </div>
      </Form>
    );
  const keyError = key.error();
  const named = codes.value.name.trim() !== "";
  return (
    <Form
      label="Add a second factor"
      failed="Nothing was set up"
      form={codes}
      className="mt-4 max-w-[30rem] gap-3"
      foot={
        <>
          {keyError && <ProblemNotice title="No passkey was made" error={keyError} />}
          <div className="flex gap-3">
            <Button
              kind="main"
              disabled={!named || off !== undefined || key.busy}
              onClick={() => key.submit()}
            >
              {key.busy ? "Waiting for the browser…" : "Make a passkey"}
            </Button>
            <Button type="submit" disabled={!named || codes.busy}>
              Take one-time codes
            </Button>
          </div>
          {off && <p className="text-ink-2">No passkeys here: {off}</p>}
        </>
      }
    >
      <h3 className="font-semibold">Add one</h3>
      <Field
        label="Where it is"
        placeholder="such as: phone"
        required
        maxLength={100}
        {...codes.text("name")}
      />
    </Form>
  );
}
