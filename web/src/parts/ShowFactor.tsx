import { useState } from "react";
import type { components } from "../api/schema";
import { showPasskey } from "../lib/passkey";
import { Button } from "../ui/Button";
import { Field } from "../ui/Field";
import { Form } from "./Form";
import { useForm } from "./useForm";

export type Step = components["schemas"]["Step"];
export type Shown = components["schemas"]["Shown"];

type ShowFactorProps = {
  step: Step;
  /** What did not happen where it fails. */
  failed: string;
  /** What the button does, such as "Sign in". */
  does: string;
  send: (shown: Shown) => Promise<unknown>;
  onDone: () => unknown;
  children?: React.ReactNode;
};

/** Shows who one is: by a passkey, a one-time code, a recovery code, or the password, as the service asks. */
export function ShowFactor({ step, failed, does, send, onDone, children }: ShowFactorProps) {
  const ways = step.ways;
  const [lost, setLost] = useState(!ways.includes("code") && !ways.includes("passkey"));
  const { ticket } = step;
  const form = useForm({
    start: { code: "", password: "" },
    keeps: true,
    send: ({ code, password }) =>
      send({ ticket, ...(code && { code: code.trim() }), ...(password && { password }) }),
    onDone,
  });
  const key = useForm({
    start: {},
    send: async () => send({ ticket, passkey: await showPasskey(step.passkey) }),
    onDone,
  });
  const byPassword = ways.includes("password");
  const types = byPassword || lost || ways.includes("code");
  return (
    <div className="flex flex-col gap-4">
      {step.passkey !== undefined && (
        <Form
          label="Show a passkey"
          failed={failed}
          form={key}
          foot={
            <Button kind={types && lost ? "plain" : "main"} type="submit" disabled={key.busy}>
              {key.busy ? "Waiting for the passkey…" : "Show a passkey"}
            </Button>
          }
        >
          {null}
        </Form>
      )}
      {types && (
        <Form
          label={does}
          failed={failed}
          form={form}
          className="gap-4"
          foot={
            <Button
              kind={step.passkey !== undefined && !lost ? "plain" : "main"}
              type="submit"
              disabled={form.busy || !(form.value.code.trim() || form.value.password)}
            >
              {does}
            </Button>
          }
        >
          {byPassword ? (
            <Field
              label="Password"
              type="password"
              autoComplete="current-password"
              autoFocus
              required
              {...form.text("password")}
            />
          ) : (
            <Field
              label={lost ? "Recovery code" : "One-time code"}
              hint={
                lost
                  ? "One of those that were written down; each lets in once."
                  : "The six digits that your authenticator shows now."
              }
              inputMode={lost ? "text" : "numeric"}
              autoComplete="one-time-code"
              autoFocus
              required
              {...form.text("code")}
            />
          )}
        </Form>
      )}
      {ways.includes("recovery") && !lost && (
        <button
          type="button"
          className="min-h-[24px] self-start underline underline-offset-2"
          onClick={() => {
            form.change({ code: "" });
            setLost(true);
          }}
        >
          I do not have my device: take a recovery code
        </button>
      )}
      {children && <div>{children}</div>}
    </div>
  );
}
