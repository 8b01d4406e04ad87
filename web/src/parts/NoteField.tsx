import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, ask } from "../api/client";
import { ago } from "../lib/time";
import { useNow } from "../lib/useNow";
import { Button } from "../ui/Button";
import { ProblemNotice } from "./ProblemNotice";
import { useMay } from "./useMay";

type NoteFieldProps = { kind: "person" | "machine"; name: string };

/**
 * What is written down about a person or a machine: read by whoever reads the directory, written by
 * the help desk.
 */
export function NoteField({ kind, name }: NoteFieldProps) {
  const client = useQueryClient();
  const id = useId();
  const now = useNow();
  const may = useMay("write notes about people and machines");
  const key = ["events", "note", kind, name];
  const note = useQuery({
    queryKey: key,
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/notes/{kind}/{name}", { params: { path: { kind, name } }, signal })),
    retry: false,
  });
  const [text, setText] = useState<string | null>(null);
  const write = useMutation({
    mutationFn: (note: string) =>
      ask(
        api.PUT("/api/v1/notes/{kind}/{name}", {
          params: { path: { kind, name } },
          body: { note },
        }),
      ),
    onSuccess: async () => {
      setText(null);
      await client.invalidateQueries({ queryKey: key });
    },
  });
  const n = note.data;
  if (!n) return null;
  if (text === null)
    return (
      <div className="my-2 border-l-2 border-rule-strong px-3">
        {n.says ? (
          <>
            <p className="whitespace-pre-wrap">{n.says}</p>
            <p className="text-ink-2">
              {n.author}, {n.at && ago(n.at, now)}{" "}
              {may && <Button onClick={() => setText(n.says)}>Change the note</Button>}
            </p>
          </>
        ) : (
          may && <Button onClick={() => setText("")}>Write a note</Button>
        )}
      </div>
    );
  return (
    <form
      aria-label={`Note about ${name}`}
      className="my-2 flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        write.mutate(text);
      }}
    >
      <label htmlFor={id} className="font-medium">
        Note
      </label>
      <textarea
        id={id}
        rows={3}
        maxLength={2000}
        className="rounded-[3px] border border-rule-strong bg-sheet px-2 py-1"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <p className="text-ink-3">
        It decides nothing. Whoever reads the directory reads it; the person it is about is given it
        with their data.
      </p>
      {write.error && <ProblemNotice title="It was not written" error={write.error} />}
      <p className="flex gap-2">
        <Button kind="main" type="submit" disabled={write.isPending}>
          Keep it
        </Button>
        <Button onClick={() => setText(null)}>Leave it</Button>
      </p>
    </form>
  );
}
