import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api, ask, ProblemError } from "../../api/client";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Logo } from "../../ui/Logo";
import { Failure } from "../../ui/Notice";

export function SignInPage() {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const enter = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/session", { body: { name, password } })),
    onSuccess: () => client.invalidateQueries(),
  });
  const onSubmit = (e: FormEvent) => {
    e.preventDefault();
    enter.mutate();
  };
  return (
    <Gate title="Sign in to Cirque">
      <form onSubmit={onSubmit} className="flex flex-col gap-4">
        <Field
          label="Name"
          autoComplete="username"
          autoFocus
          required
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Field
          label="Password"
          type="password"
          autoComplete="current-password"
          required
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
        {enter.error && (
          <Failure
            title="You are not signed in"
            problem={{
              message: enter.error.message,
              fix: enter.error instanceof ProblemError ? enter.error.problem.fix : undefined,
            }}
          />
        )}
        <Button kind="main" type="submit" disabled={enter.isPending}>
          {enter.isPending ? "Signing in…" : "Sign in"}
        </Button>
      </form>
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
