import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "../../api/client";
import { meQuery } from "../../api/session";
import { Form } from "../../parts/Form";
import { SignInNotice } from "../../parts/SignInNotice";
import { ShowFactor, type Step } from "../../parts/ShowFactor";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Logo } from "../../ui/Logo";

export function SignInPage() {
  const client = useQueryClient();
  const me = useQuery(meQuery());
  const [step, setStep] = useState<Step>();
  const form = useForm({
    start: { name: "", password: "" },
    keeps: true,
    send: (body) => ask(api.POST("/api/v1/session", { body })),
    onDone: (me) => (me.second ? setStep(me.second) : client.invalidateQueries()),
  });
  if (step)
    return (
      <Gate title={`Sign in as ${form.value.name}`}>
        <ShowFactor
          step={step}
          failed="You are not signed in"
          does="Sign in"
          send={(body) => ask(api.POST("/api/v1/session/second", { body }))}
          onDone={() => client.invalidateQueries()}
        >
          <Button onClick={() => setStep(undefined)}>Back</Button>
        </ShowFactor>
      </Gate>
    );
  return (
    <Gate title="Sign in to Cirque">
      <SignInNotice text={me.data?.notice} />
      <Form
        label="Sign in"
        failed="You are not signed in"
        form={form}
        className="gap-4"
        foot={
          <Button kind="main" type="submit" disabled={form.busy}>
            {form.busy ? "Signing in…" : "Sign in"}
          </Button>
        }
      >
        <Field label="Name" autoComplete="username" autoFocus required {...form.text("name")} />
        <Field
          label="Password"
          type="password"
          autoComplete="current-password"
          required
          {...form.text("password")}
        />
      </Form>
    </Gate>
  );
}

export function Gate({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <main className="flex min-h-screen items-start justify-center p-6 pt-[14vh]">
      <div className="w-full max-w-md border border-rule-strong bg-sheet p-6">
        <h1 className="mb-4 flex items-center gap-2">
          <Logo />
          {title}
        </h1>
        {children}
      </div>
    </main>
  );
}
