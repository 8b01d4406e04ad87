import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { draftChanged, sendEdits } from "../../api/drafts";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";

/** Takes a machine whose agent is ready to keep a server into the estate, in the draft. */
export function HaveKept({ machine }: { machine: string }) {
  const client = useQueryClient();
  const [done, setDone] = useState(false);
  const form = useForm({
    start: { uri: `ipp://${machine}:631/` },
    keeps: true,
    send: ({ uri }) =>
      sendEdits([
        {
          list: "servers",
          name: machine,
          object: { name: machine, uri: uri.trim(), kept: true },
          create: true,
        },
      ]),
    onDone: async () => {
      setDone(true);
      await draftChanged(client);
    },
  });
  if (done)
    return (
      <p role="status">
        {machine} is in <Link to="/draft">your draft</Link>. It gets what leads through it once that
        is published.
      </p>
    );
  return (
    <Form
      label={`Have ${machine} kept`}
      failed="It was not taken into the draft"
      form={form}
      className="gap-1"
      foot={
        <div>
          <Button type="submit" disabled={form.busy || !form.value.uri.trim()}>
            Have {machine} kept, in the draft
          </Button>
        </div>
      }
    >
      <Field label={`Address of ${machine}`} {...form.text("uri")} required />
    </Form>
  );
}
