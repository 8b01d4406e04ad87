import { useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Logo } from "../../ui/Logo";

export function SignInPage() {
  const client = useQueryClient();
  const form = useForm({
    start: { name: "", password: "" },
    keeps: true,
    send: (body) => ask(api.POST("/api/v1/session", { body })),
    onDone: () => client.invalidateQueries(),
  });
  return (
    <Gate title="Sign in to Cirque">
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
