import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { EstateQueue } from "../../api/client";
import { draftChanged, draftDocumentQuery, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";

/** What people read of a queue, where it is, and the note that stays with it; and its double as a template. */
export function TextsSection({ queue }: { queue: EstateQueue }) {
  const client = useQueryClient();
  const document = useQuery(draftDocumentQuery());
  const [q, setQ] = useState(queue);
  const [copy, setCopy] = useState("");
  const done = { onSuccess: () => draftChanged(client) };
  const save = useMutation({
    mutationFn: () => sendEdits([{ list: "queues", name: q.name, object: q }]),
    ...done,
  });
  const double = useMutation({
    mutationFn: () => {
      const { formerly: _, ...rest } = queue;
      return sendEdits([
        { list: "queues", name: copy.trim(), object: { ...rest, name: copy.trim() } },
      ]);
    },
    ...done,
  });
  const taken = (document.data?.queues ?? []).some((o) => o.name === copy.trim());
  return (
    <details>
      <summary className="min-h-[24px] cursor-pointer font-medium">
        Title, location, note; duplicate it
      </summary>
      <form
        className="mt-2 grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <Field
          label="Title"
          value={q.title ?? ""}
          onChange={(e) => setQ({ ...q, title: e.target.value })}
        />
        <Field
          label="Location"
          value={q.location ?? ""}
          onChange={(e) => setQ({ ...q, location: e.target.value.trim() })}
        />
        <Field
          className="col-span-2"
          label="Note"
          value={q.note ?? ""}
          onChange={(e) => setQ({ ...q, note: e.target.value })}
          hint="It stays with the queue, and goes along when the estate is exported."
        />
        <div className="col-span-2">
          {save.error && <ProblemNotice title="The draft was not changed" error={save.error} />}
          <Button type="submit" disabled={save.isPending}>
            Keep in the draft
          </Button>
        </div>
      </form>
      <form
        className="mt-3 flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          double.mutate();
        }}
      >
        <Field
          label="Name of a duplicate"
          value={copy}
          placeholder={`${queue.name}-2`}
          onChange={(e) => setCopy(e.target.value)}
          error={taken && !double.isSuccess ? "the draft has a queue of that name" : undefined}
        />
        <Button type="submit" disabled={!copy.trim() || taken || double.isPending}>
          Duplicate it in the draft
        </Button>
        {double.isSuccess && (
          <span role="status">
            The draft has {double.variables === undefined && copy.trim()}; nobody gets it before a
            grant selects it.
          </span>
        )}
        {double.error && <ProblemNotice title="It was not duplicated" error={double.error} />}
      </form>
    </details>
  );
}
