import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type NewSource } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Select } from "../../ui/Select";
import { sourcesChanged } from "../../api/directory";

const presets = [
  { value: "standard", label: "the standard schema (inetOrgPerson)" },
  { value: "posix", label: "the posix schema" },
  { value: "domain", label: "a domain controller's" },
] as const;

/** Tries a directory, shows a few of what it holds, then keeps it; a dry pass begins at once. */
export function AddSource({ onDone }: { onDone: () => void }) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [v, setV] = useState<NewSource>({ url: "", base: "", preset: "standard" });
  const change = (part: Partial<NewSource>) => {
    setV((old) => ({ ...old, ...part }));
    attempt.reset();
  };
  const body = () => {
    const { password, ...rest } = v;
    return v.bind ? { ...rest, password: password ?? "" } : rest;
  };
  const put = (only: boolean) =>
    ask(
      api.PUT("/api/v1/directory/sources/{name}", {
        params: { path: { name: name.trim() } },
        body: { ...body(), try: only },
      }),
    );
  const attempt = useMutation({ mutationFn: () => put(true) });
  const keep = useMutation({
    mutationFn: async () => {
      await put(false);
      await ask(
        api.POST("/api/v1/directory/sources/{name}/runs", {
          params: { path: { name: name.trim() } },
          body: { kind: "dry" },
        }),
      );
    },
    onSuccess: async () => {
      await sourcesChanged(client);
      onDone();
    },
  });
  const found = attempt.data;
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (found) keep.mutate();
        else attempt.mutate();
      }}
    >
      <Field
        label="Name"
        value={name}
        required
        placeholder="such as head-office"
        onChange={(e) => {
          setName(e.target.value);
          attempt.reset();
        }}
        hint="Small letters, digits and dashes. Where two sources have a group of one name, the source that comes first by name counts."
      />
      <Field
        label="Address"
        value={v.url}
        required
        placeholder="ldaps://directory.skerry.example"
        onChange={(e) => change({ url: e.target.value })}
        hint="ldaps://HOST, or ldap://HOST with TLS within."
      />
      <label className="flex min-h-[24px] items-center gap-2">
        <input
          type="checkbox"
          className="size-[24px] accent-accent"
          checked={v.start_tls ?? false}
          onChange={(e) => change({ start_tls: e.target.checked })}
        />{" "}
        Turn TLS on within the connection (StartTLS)
      </label>
      <Field
        label="Base"
        value={v.base}
        required
        placeholder="dc=skerry,dc=example"
        onChange={(e) => change({ base: e.target.value })}
        hint="Everything below it is read."
      />
      <Select
        label="Schema"
        value={v.preset ?? "standard"}
        options={[...presets]}
        all=""
        onChange={(p) =>
          change({ preset: presets.find((o) => o.value === p)?.value ?? "standard" })
        }
      />
      <Field
        label="Account that reads"
        value={v.bind ?? ""}
        autoComplete="off"
        placeholder="none: without signing in"
        onChange={(e) => change({ bind: e.target.value })}
        hint="It needs to read, no more."
      />
      {v.bind && (
        <Field
          label="Its password"
          type="password"
          autoComplete="new-password"
          value={v.password ?? ""}
          onChange={(e) => change({ password: e.target.value })}
        />
      )}
      {v.bind && (
        <Field
          label="Write listed queues below"
          value={v.list_under ?? ""}
          placeholder="ou=printers,dc=skerry,dc=example; nowhere when empty"
          onChange={(e) => {
            const { list_under: _, ...rest } = v;
            setV(e.target.value ? { ...rest, list_under: e.target.value } : rest);
            attempt.reset();
          }}
          hint="Queues that are listed become printer entries there (RFC 7612); the account then needs to write there too."
        />
      )}
      <label className="flex min-h-[24px] items-center gap-2">
        <input
          type="checkbox"
          className="size-[24px] accent-accent"
          checked={v.sign_in ?? false}
          onChange={(e) => change({ sign_in: e.target.checked })}
        />{" "}
        Its people may sign in here with their password there
      </label>
      {attempt.error && <ProblemNotice title="It does not work so" error={attempt.error} />}
      {keep.error && <ProblemNotice title="The source was not kept" error={keep.error} />}
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
      <p className="flex items-center gap-3">
        <Button
          kind="main"
          type="submit"
          disabled={
            attempt.isPending || keep.isPending || !name.trim() || !v.url.trim() || !v.base.trim()
          }
        >
          {attempt.isPending ? "Trying it…" : found ? "Keep it, paused" : "Try it"}
        </Button>
        {found && <span className="text-ink-2">A dry pass then says what it would add.</span>}
      </p>
    </form>
  );
}
