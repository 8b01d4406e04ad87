import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type NewSource } from "../../api/client";
import { sourcesChanged } from "../../api/directory";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Select } from "../../ui/Select";

const presets = [
  { value: "standard", label: "the standard schema (inetOrgPerson)" },
  { value: "posix", label: "the posix schema" },
  { value: "domain", label: "a domain controller's" },
] as const;

type Entered = NewSource & { name: string };

const blank: Entered = { name: "", url: "", base: "", preset: "standard" };

/** Has a source tried, or kept. What is empty is left out; a password goes only with an account. */
function put({ name, password, list_under: below, ...v }: Entered, only: boolean) {
  return ask(
    api.PUT("/api/v1/directory/sources/{name}", {
      params: { path: { name: name.trim() } },
      body: {
        ...v,
        ...(v.bind && { password: password ?? "" }),
        ...(v.bind && below && { list_under: below }),
        try: only,
      },
    }),
  );
}

/** Tries a directory, shows a few of what it holds, then keeps it; a dry pass begins at once. */
export function AddSource({ onDone }: { onDone: () => void }) {
  const client = useQueryClient();
  const attempt = useForm({
    start: blank,
    keeps: true,
    send: (v) => put(v, true),
    ofProblems: { source: "name", password: "password" },
  });
  const found = attempt.result;
  const keep = useMutation({
    mutationFn: async (v: Entered) => {
      await put(v, false);
      await ask(
        api.POST("/api/v1/directory/sources/{name}/runs", {
          params: { path: { name: v.name.trim() } },
          body: { kind: "dry" },
        }),
      );
    },
    onSuccess: async () => {
      await sourcesChanged(client);
      onDone();
    },
  });
  const v = attempt.value;
  return (
    <Form
      label="A directory that is read"
      failed={found ? "The source was not kept" : "It does not work so"}
      form={{
        submit: () => (found ? keep.mutate(v) : attempt.submit()),
        error: () => (found ? keep.error : attempt.error()),
      }}
      foot={
        <p className="flex items-center gap-3">
          <Button
            kind="main"
            type="submit"
            disabled={
              attempt.busy || keep.isPending || !v.name.trim() || !v.url.trim() || !v.base.trim()
            }
          >
            {attempt.busy ? "Trying it…" : found ? "Keep it, paused" : "Try it"}
          </Button>
          {found && <span className="text-ink-2">A dry pass then says what it would add.</span>}
        </p>
      }
    >
      <Field
        label="Name"
        required
        placeholder="such as head-office"
        {...attempt.text("name")}
        hint="Small letters, digits and dashes. Where two sources have a group of one name, the source that comes first by name counts."
      />
      <Field
        label="Address"
        required
        placeholder="ldaps://directory.skerry.example"
        {...attempt.text("url")}
        hint="ldaps://HOST, or ldap://HOST with TLS within."
      />
      <label className="flex min-h-[24px] items-center gap-2">
        <input
          type="checkbox"
          className="size-[24px] accent-accent"
          {...attempt.check("start_tls")}
        />{" "}
        Turn TLS on within the connection (StartTLS)
      </label>
      <Field
        label="Base"
        required
        placeholder="dc=skerry,dc=example"
        {...attempt.text("base")}
        hint="Everything below it is read."
      />
      <Select
        label="Schema"
        value={v.preset ?? "standard"}
        options={[...presets]}
        all=""
        onChange={(p) =>
          attempt.change({ preset: presets.find((o) => o.value === p)?.value ?? "standard" })
        }
      />
      <Field
        label="Account that reads"
        autoComplete="off"
        placeholder="none: without signing in"
        {...attempt.text("bind")}
        hint="It needs to read, no more."
      />
      {v.bind && (
        <Field
          label="Its password"
          type="password"
          autoComplete="new-password"
          {...attempt.text("password")}
        />
      )}
      {v.bind && (
        <Field
          label="Write listed queues below"
          placeholder="ou=printers,dc=skerry,dc=example; nowhere when empty"
          {...attempt.text("list_under")}
          hint="Queues that are listed become printer entries there (RFC 7612); the account then needs to write there too."
        />
      )}
      <label className="flex min-h-[24px] items-center gap-2">
        <input
          type="checkbox"
          className="size-[24px] accent-accent"
          {...attempt.check("sign_in")}
        />{" "}
        Its people may sign in here with their password there
      </label>
      {found && (
        <section aria-label="What was found" role="status">
          <p className="font-medium">It answers. A few of what is there:</p>
          <ul>
            {found.sample.map((f) => (
              <li key={`${f.kind} ${f.name}`} className="border-b border-rule py-0.5">
                {f.kind === "user" ? "person" : f.kind}{" "}
                <strong className="font-medium">{f.name}</strong>
                {f.says && `, ${f.says}`}
                {f.detail && <span className="text-ink-2">, in {f.detail}</span>}
              </li>
            ))}
          </ul>
          {found.sample.length === 0 && (
            <p>
              Nothing is found by this schema's filters; choose another, or set filters with the
              client.
            </p>
          )}
        </section>
      )}
    </Form>
  );
}
