import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api, ask, ProblemError } from "../../api/client";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Failure } from "../../ui/Notice";
import { Gate } from "./SignInPage";

const shortest = 12;

/** The first run: whoever can read the service's data makes the first account. */
export function SetUpPage() {
  const client = useQueryClient();
  const [code, setCode] = useState("");
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [again, setAgain] = useState("");
  const make = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/set-up", { body: { code: code.trim(), name: name.trim(), password } })),
    onSuccess: () => client.invalidateQueries(),
  });
  const tooShort = password !== "" && [...password].length < shortest;
  const differs = again !== "" && again !== password;
  const missing = [
    !code.trim() && "the code",
    !name.trim() && "a name",
    [...password].length < shortest && `a password of ${shortest} characters`,
    again !== password && "the password again",
  ].filter(Boolean);
  const onSubmit = (e: FormEvent) => {
    e.preventDefault();
    make.mutate();
  };
  return (
    <Gate title="Make the first account">
      <form onSubmit={onSubmit} className="flex flex-col gap-4">
        <Field
          label="Set-up code"
          hint="It stands in the file setup-code in the service's data directory, which only the service's account can read."
          autoFocus
          required
          autoComplete="off"
          value={code}
          onChange={(e) => setCode(e.target.value)}
        />
        <Field
          label="Name"
          required
          autoComplete="username"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Field
          label="Password"
          hint={`At least ${shortest} characters; a few plain words make a good one.`}
          error={tooShort ? `${[...password].length} characters so far` : undefined}
          type="password"
          required
          autoComplete="new-password"
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
        <Field
          label="Password again"
          error={differs ? "The two are not the same" : undefined}
          type="password"
          required
          autoComplete="new-password"
          value={again}
          onChange={(e) => setAgain(e.target.value)}
        />
        {make.error && (
          <Failure
            title="The account was not made"
            problem={{
              message: make.error.message,
              fix: make.error instanceof ProblemError ? make.error.problem.fix : undefined,
            }}
          />
        )}
        <Button kind="main" type="submit" disabled={make.isPending || missing.length > 0}>
          {make.isPending ? "Making it…" : "Make the account and sign in"}
        </Button>
        {missing.length > 0 && <p className="text-ink-3">Still missing: {missing.join(", ")}.</p>}
      </form>
    </Gate>
  );
}
