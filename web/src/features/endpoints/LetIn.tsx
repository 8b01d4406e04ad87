import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { sitesQuery } from "../../api/access";
import { meQuery } from "../../api/session";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Select } from "../../ui/Select";

/** Lets the machine in that shows a code, and says when it has come for its certificate. */
export function LetIn() {
  const client = useQueryClient();
  const sites = useQuery(sitesQuery());
  const form = useForm({
    start: { code: "", machine: "", site: "" },
    send: ({ code, machine, site }) =>
      ask(
        api.POST("/api/v1/pairings/{code}", {
          params: { path: { code: code.trim() } },
          body: { ...(machine.trim() && { machine: machine.trim() }), ...(site && { site }) },
        }),
      ),
  });
  const allowed = form.result;
  const seen = useQuery({
    queryKey: ["pairing", allowed?.code],
    queryFn: async ({ signal }) => {
      const p = await ask(
        api.GET("/api/v1/pairings/{code}", { params: { path: { code: allowed!.code } }, signal }),
      );
      if (p.state === "enrolled") await client.invalidateQueries({ queryKey: ["enrolment"] });
      return p;
    },
    enabled: !!allowed,
    refetchInterval: (q) => (q.state.data?.state === "let-in" || !q.state.data ? 1000 : false),
  });
  const now = seen.data ?? allowed;
  const service = useQuery(meQuery()).data?.agents;
  const command = `cirque-agent enrol --service ${service} --pair`;
  if (!service) return null; // it speaks no TLS: nobody enrols
  return (
    <Form
      label="Let a machine in by its code"
      failed="The machine was not let in"
      form={form}
      foot={
        <>
          <Button kind="main" type="submit" disabled={form.busy || !form.value.code.trim()}>
            Let the machine in
          </Button>
          {now && (
            <div role="status" className="border-l-2 border-accent bg-accent-wash px-3 py-2">
              {now.state === "enrolled" ? (
                <Mark of="yes">
                  {now.machine} is enrolled{now.site ? `, at ${now.site}` : ""}
                </Mark>
              ) : now.state === "let-in" ? (
                <p>{now.machine} was let in; it comes for its certificate in a moment.</p>
              ) : (
                <Mark of="no">{now.machine} did not come for its certificate in time</Mark>
              )}
              <p>It showed the code at {now.remote}.</p>
            </div>
          )}
        </>
      }
    >
      <h2>Let a machine in that you sit at</h2>
      <p className="text-ink-2">
        There: <code className="font-mono text-[0.86em] break-all">{command}</code>{" "}
        <Copy text={command} what="the command" />
      </p>
      <Field
        label="Code"
        {...form.text("code")}
        required
        autoComplete="off"
        spellCheck={false}
        placeholder="as it shows, such as K7QM-3RTD"
      />
      <Field
        label="Name in the directory"
        {...form.text("machine")}
        hint="Where it calls itself otherwise."
      />
      <Select
        label="Where it stands"
        value={form.value.site}
        all="by its addresses"
        options={(sites.data ?? []).map((s) => ({ value: s.path, label: s.title || s.path }))}
        onChange={(site) => form.change({ site })}
      />
    </Form>
  );
}
