import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "../api/client";
import type { components } from "../api/schema";
import { draftChanged } from "../api/drafts";
import { count } from "../lib/words";
import { Button } from "../ui/Button";
import { Field } from "../ui/Field";
import { ProblemNotice } from "./ProblemNotice";

type ListName = components["schemas"]["RenameObject"]["list"];

type RenameProps = {
  list: ListName;
  /** What one object of the list is called, such as "grant". */
  word: string;
  name: string;
  onDone: (to: string) => void;
};

/** Gives an object another name, in the draft, once it is said how many others name it. */
export function Rename({ list, word, name, onDone }: RenameProps) {
  const client = useQueryClient();
  const [open, setOpen] = useState(false);
  const [to, setTo] = useState(name);
  const send = (dry: boolean) =>
    ask(api.POST("/api/v1/draft/rename-object", { body: { list, object: name, to, dry } }));
  const look = useMutation({ mutationFn: () => send(true) });
  const keep = useMutation({
    mutationFn: () => send(false),
    onSuccess: async () => {
      await draftChanged(client);
      onDone(to);
    },
  });
  if (!open)
    return (
      <p>
        <Button onClick={() => setOpen(true)}>Rename the {word}</Button>
      </p>
    );
  const also = look.data?.names[0]?.also ?? 0;
  const error = look.error ?? keep.error;
  return (
    <form
      aria-label={`Rename the ${word}`}
      className="flex flex-col gap-2 border-l-2 border-accent px-3 py-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (look.data) keep.mutate();
        else look.mutate();
      }}
    >
      <Field
        label={list === "locations" ? "New path" : "New name"}
        value={to}
        autoFocus
        onChange={(e) => {
          setTo(e.target.value.trim());
          look.reset();
          keep.reset();
        }}
      />
      {look.data && (
        <p role="status">
          {also === 0
            ? "Nothing else names it."
            : `${count(also, "object")} ${also === 1 ? "names it and follows" : "name it and follow"}.`}
          {list === "queues" && " Its old name goes on leading there."}
        </p>
      )}
      {error && <ProblemNotice title="It cannot be called that" error={error} />}
      <div className="flex gap-2">
        <Button
          kind={look.data ? "main" : undefined}
          type="submit"
          disabled={!to || to === name || look.isPending || keep.isPending}
        >
          {look.data ? "Keep the new name in the draft" : "See what would follow"}
        </Button>
        <Button onClick={() => setOpen(false)}>Leave it</Button>
      </div>
    </form>
  );
}
