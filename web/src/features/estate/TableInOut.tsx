import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask } from "../../api/client";
import { draftChanged } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { download } from "../../lib/download";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Diffs } from "../../ui/Diffs";
import type { ListName } from "./model";

type TableList = Exclude<ListName, "settings">;

/**
 * A whole list as a table for a spreadsheet, and back: what it would change is shown before it is
 * kept.
 */
export function TableInOut({ list, one }: { list: ListName; one: string }) {
  const client = useQueryClient();
  const file = useRef<HTMLInputElement>(null);
  const [table, setTable] = useState<{ name: string; text: string } | null>(null);
  const of = list as TableList;
  const save = useMutation({
    mutationFn: async () => {
      const { text } = await ask(
        api.GET("/api/v1/draft/table", { params: { query: { list: of } } }),
      );
      download(`${list}.csv`, "text/csv", text);
    },
  });
  const send = (t: { name: string; text: string }, dry: boolean) =>
    ask(api.PUT("/api/v1/draft/table", { params: { query: { list: of, dry } }, body: t }));
  const look = useMutation({ mutationFn: (t: { name: string; text: string }) => send(t, true) });
  const keep = useMutation({
    mutationFn: (t: { name: string; text: string }) => send(t, false),
    onSuccess: async () => {
      setTable(null);
      look.reset();
      await draftChanged(client);
    },
  });
  const read = async (chosen: File | undefined) => {
    if (!chosen) return;
    const t = { name: chosen.name, text: await chosen.text() };
    setTable(t);
    keep.reset();
    look.mutate(t);
    if (file.current) file.current.value = ""; // the same file can be chosen again
  };
  const changes = (look.data?.changes ?? []).filter((c) => c.list === list);
  return (
    <>
      <Button onClick={() => save.mutate()}>Save as a table (CSV)</Button>
      <Button onClick={() => file.current?.click()}>Read a table…</Button>
      <input
        ref={file}
        type="file"
        accept=".csv,text/csv"
        aria-label={`A table of ${one}s`}
        className="sr-only"
        tabIndex={-1}
        onChange={(e) => void read(e.target.files?.[0])}
      />
      {save.error && <ProblemNotice title="It was not saved" error={save.error} />}
      {look.error && (
        <ProblemNotice title={`${table?.name ?? "The table"} cannot be read`} error={look.error} />
      )}
      {keep.error && <ProblemNotice title="The draft was not changed" error={keep.error} />}
      {table && look.data && (
        <section
          aria-label="What the table changes"
          className="w-full border-l-2 border-accent px-3 py-2"
        >
          <p className="font-medium">
            With {table.name} your draft has {count(changes.length, "change")} of this list
            {changes.length === 0 && ": it is so already"}.
          </p>
          <Diffs list={changes.slice(0, 50)} />
          {changes.length > 50 && <p className="text-ink-2">and {changes.length - 50} more</p>}
          <p className="mt-2 flex gap-2">
            <Button kind="main" disabled={keep.isPending} onClick={() => keep.mutate(table)}>
              Keep in the draft
            </Button>
            <Button
              onClick={() => {
                setTable(null);
                look.reset();
              }}
            >
              Leave it
            </Button>
          </p>
        </section>
      )}
    </>
  );
}
