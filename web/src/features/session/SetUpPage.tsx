import { useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Gate } from "./SignInPage";

const shortest = 12;

/** The first run: whoever can read the service's data makes the first account. */
export function SetUpPage() {
  const client = useQueryClient();
  const form = useForm({
    start: { code: "", name: "", password: "", again: "" },
    keeps: true,
    send: ({ code, name, password }) =>
      ask(api.POST("/api/v1/set-up", { body: { code: code.trim(), name: name.trim(), password } })),
    onDone: () => client.invalidateQueries(),
    ofProblems: { setup: "code" },
  });
  const { code, name, password, again } = form.value;
  const tooShort = password !== "" && [...password].length < shortest;
  const differs = again !== "" && again !== password;
  const missing = [
    !code.trim() && "the code",
    !name.trim() && "a name",
    [...password].length < shortest && `a password of ${shortest} characters`,
    again !== password && "the password again",
  ].filter(Boolean);
  return (
    <Gate title="Make the first account">
      <Form
        label="The first account"
        failed="The account was not made"
        form={form}
        className="gap-4"
        foot={
          <>
            <Button kind="main" type="submit" disabled={form.busy || missing.length > 0}>
              {form.busy ? "Making it…" : "Make the account and sign in"}
            </Button>
            {missing.length > 0 && (
              <p className="text-ink-3">Still missing: {missing.join(", ")}.</p>
            )}
          </>
        }
      >
        <Field
          label="Set-up code"
          hint="It stands in the file setup-code in the service's data directory, which only the service's account can read."
          autoFocus
          required
          autoComplete="off"
          {...form.text("code")}
        />
        <Field label="Name" required autoComplete="username" {...form.text("name")} />
        <Field
          label="Password"
          hint={`At least ${shortest} characters; a few plain words make a good one.`}
          type="password"
          required
          autoComplete="new-password"
          {...form.text("password")}
          {...(tooShort && { error: `${[...password].length} characters so far` })}
        />
        <Field
          label="Password again"
          type="password"
          required
          autoComplete="new-password"
          {...form.text("again")}
          error={differs ? "The two are not the same" : undefined}
        />
      </Form>
    </Gate>
  );
}
