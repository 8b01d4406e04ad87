import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { ServerView } from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useNow } from "../../lib/useNow";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { stands } from "../../parts/stock";

/** A server set in the draft: a name, how its members share the work, and who they are, each with how it stands. */
export function NewSet({ servers }: { servers: ServerView[] }) {
  const client = useQueryClient();
  const now = useNow();
  const [name, setName] = useState("");
  const [style, setStyle] = useState<"standby" | "spread">("standby");
  const [members, setMembers] = useState<string[]>([]);
  const keep = useMutation({
    mutationFn: () =>
      sendEdits([
        { list: "server_sets", name: name.trim(), object: { name: name.trim(), style, members } },
      ]),
    onSuccess: async () => {
      setName("");
      setMembers([]);
      await draftChanged(client);
    },
  });
  const lacks = !name.trim()
    ? "It lacks a name."
    : members.length < 2
      ? "It lacks members: two at least."
      : "";
  const bad = servers.filter((s) => members.includes(s.name) && !s.check?.ok);
  return (
    <details>
      <summary className="min-h-[24px] cursor-pointer font-medium">Put servers into a set</summary>
      <form
        aria-label="Put servers into a set"
        className="mt-2 flex max-w-[48rem] flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          keep.mutate();
        }}
      >
        <Field
          label="Name of the set"
          value={name}
          placeholder="such as quay-pair"
          onChange={(e) => setName(e.target.value)}
        />
        <fieldset>
          <legend className="font-medium">How they share the work</legend>
          {(
            [
              [
                "standby",
                "One at a time, in this order; the next takes over where one is down or drained",
              ],
              ["spread", "All at once; each person has a member of their own"],
            ] as const
          ).map(([v, w]) => (
            <label key={v} className="flex min-h-[24px] items-center gap-2">
              <input type="radio" name="style" checked={style === v} onChange={() => setStyle(v)} />
              {w}
            </label>
          ))}
        </fieldset>
        <fieldset>
          <legend className="font-medium">Members, in order</legend>
          {servers.map((s) => {
            const how = stands(s.check, now);
            const at = members.indexOf(s.name);
            return (
              <label key={s.name} className="flex min-h-[24px] flex-wrap items-center gap-2">
                <input
                  type="checkbox"
                  aria-label={s.name}
                  className="size-6"
                  checked={at >= 0}
                  onChange={(e) =>
                    setMembers(
                      e.target.checked ? [...members, s.name] : members.filter((m) => m !== s.name),
                    )
                  }
                />
                <span>{s.name}</span>
                {at >= 0 && <span className="text-ink-2">{at + 1}.</span>}{" "}
                <Mark of={how.mark}>{how.says}</Mark>
              </label>
            );
          })}
        </fieldset>
        {bad.length > 0 && (
          <p role="status">
            <Mark of="warning">
              {bad.map((s) => s.name).join(" and ")} {bad.length === 1 ? "is" : "are"} not known to
              answer: look at name and address before relying on the set.
            </Mark>
          </p>
        )}
        {keep.error && <ProblemNotice title="The draft was not changed" error={keep.error} />}
        <p className="flex flex-wrap items-center gap-3">
          <Button kind="main" type="submit" disabled={Boolean(lacks) || keep.isPending}>
            Put the set into the draft
          </Button>
          {lacks ? <span className="text-ink-2">{lacks}</span> : null}
          {keep.isSuccess && !name && (
            <span role="status" className="text-ink-2">
              It is in the draft. Lead queues through it, publish, and it is compared queue by
              queue.
            </span>
          )}
        </p>
      </form>
    </details>
  );
}
