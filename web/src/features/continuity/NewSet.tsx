import { useQueryClient } from "@tanstack/react-query";
import type { ServerView } from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { Form } from "../../parts/Form";
import { LineTest } from "../../parts/LineTest";
import { useForm } from "../../parts/useForm";
import { useNow } from "../../lib/useNow";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { stands } from "../../parts/stock";

const blank: { name: string; style: "standby" | "spread"; members: string[] } = {
  name: "",
  style: "standby",
  members: [],
};

/** A server set in the draft: a name, how its members share the work, and who they are, each with how it stands. */
export function NewSet({ servers }: { servers: ServerView[] }) {
  const client = useQueryClient();
  const now = useNow();
  const form = useForm({
    start: blank,
    send: ({ name, ...set }) =>
      sendEdits([
        {
          list: "server_sets",
          name: name.trim(),
          object: { name: name.trim(), ...set },
          create: true,
        },
      ]),
    onDone: () => draftChanged(client),
  });
  const { name, style, members } = form.value;
  const lacks = !name.trim()
    ? "It lacks a name."
    : members.length < 2
      ? "It lacks members: two at least."
      : "";
  const bad = servers.filter((s) => members.includes(s.name) && !s.check?.ok);
  return (
    <details>
      <summary className="min-h-[24px] cursor-pointer font-medium">Put servers into a set</summary>
      <Form
        label="Put servers into a set"
        failed="The draft was not changed"
        form={form}
        className="mt-2 max-w-[48rem] gap-3"
        foot={
          <p className="flex flex-wrap items-center gap-3">
            <Button kind="main" type="submit" disabled={Boolean(lacks) || form.busy}>
              Put the set into the draft
            </Button>
            {lacks ? <span className="text-ink-2">{lacks}</span> : null}
            {form.result && (
              <span role="status" className="text-ink-2">
                It is in the draft. Lead queues through it, publish, and it is compared queue by
                queue.
              </span>
            )}
          </p>
        }
      >
        <Field label="Name of the set" placeholder="such as quay-pair" {...form.text("name")} />
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
              <input
                type="radio"
                name="style"
                checked={style === v}
                onChange={() => form.change({ style: v })}
              />
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
                    form.change({
                      members: e.target.checked
                        ? [...members, s.name]
                        : members.filter((m) => m !== s.name),
                    })
                  }
                />
                <span>{s.name}</span>
                {at >= 0 && <span className="text-ink-2">{at + 1}.</span>}{" "}
                <Mark of={how.mark}>{how.says}</Mark>
              </label>
            );
          })}
        </fieldset>
        <LineTest key={members.join()} kind="server" names={members} />
        {bad.length > 0 && (
          <p role="status">
            <Mark of="warning">
              {bad.map((s) => s.name).join(" and ")} {bad.length === 1 ? "is" : "are"} not known to
              answer: look at name and address before relying on the set.
            </Mark>
          </p>
        )}
      </Form>
    </details>
  );
}
