import { useQuery, useQueryClient } from "@tanstack/react-query";
import type { EstateQueue } from "../../api/client";
import { draftChanged, draftDocumentQuery, sendEdits } from "../../api/drafts";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";

/** What people read of a queue, where it is, and the note that stays with it; and its double as a template. */
export function TextsSection({ queue }: { queue: EstateQueue }) {
  const client = useQueryClient();
  const document = useQuery(draftDocumentQuery());
  const onDone = () => draftChanged(client);
  const save = useForm({
    start: queue,
    keeps: true,
    send: (q) =>
      sendEdits([
        { list: "queues", name: q.name, object: { ...q, location: q.location?.trim() ?? "" } },
      ]),
    onDone,
  });
  const double = useForm({
    start: { name: "" },
    keeps: true,
    send: async (v) => {
      const { formerly: _, ...rest } = queue;
      const name = v.name.trim();
      await sendEdits([{ list: "queues", name, object: { ...rest, name }, create: true }]);
      return name;
    },
    onDone,
  });
  const copy = double.value.name.trim();
  const taken = (document.data?.queues ?? []).some((o) => o.name === copy);
  return (
    <details>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        Title, location, note; duplicate it
      </summary>
      <Form
        label="Texts of the queue"
        failed="The draft was not changed"
        form={save}
        className="mt-2 gap-3"
        foot={
          <p>
            <Button type="submit" disabled={save.busy}>
              Keep in the draft
            </Button>
          </p>
        }
      >
        <div className="grid grid-cols-2 gap-3">
          <Field label="Title" {...save.text("title")} />
          <Field label="Location" {...save.text("location")} />
          <Field
            className="col-span-2"
            label="Note"
            hint="It stays with the queue, and goes along when the estate is exported."
            {...save.text("note")}
          />
        </div>
      </Form>
      <Form
        label="A duplicate of the queue"
        failed="It was not duplicated"
        form={double}
        className="mt-3 gap-3"
        foot={null}
      >
        <div className="flex flex-wrap items-end gap-3">
          <Field
            label="Name of a duplicate"
            placeholder={`${queue.name}-2`}
            {...double.text("name")}
            {...(taken && !double.result && { error: "the draft has a queue of that name" })}
          />
          <Button type="submit" disabled={!copy || taken || double.busy}>
            Duplicate it in the draft
          </Button>
          {double.result && (
            <span role="status">
              The draft has {double.result}; nobody gets it before a grant selects it.
            </span>
          )}
        </div>
      </Form>
    </details>
  );
}
