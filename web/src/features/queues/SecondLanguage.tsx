import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type EstateQueue } from "../../api/client";
import { draftChanged } from "../../api/drafts";
import { driverUses, namesQuery, type DriverUse } from "../../api/stock";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";

const saying: Record<DriverUse, string> = {
  office: "letters, tables, web pages",
  layout: "typeset pages and pictures",
  drawings: "plans on wide paper",
  labels: "labels and slips",
  "old-programs": "old programs with a page language of their own",
  sessions: "remote sessions over thin lines",
};

/** Which page language suits what is printed; a second queue where two are needed. */
export function SecondLanguage({ queue, model }: { queue: EstateQueue; model: string }) {
  const client = useQueryClient();
  const [uses, setUses] = useState<DriverUse[]>([]);
  const names = useQuery(namesQuery({ model, limit: 500, ...(uses.length > 0 && { uses }) }));
  const languages = [
    ...new Set(
      (names.data?.choices ?? []).filter((c) => c.fits && c.language).map((c) => c.language ?? ""),
    ),
  ];
  const form = useForm({
    start: { language: "", called: "" },
    send: (v) =>
      ask(
        api.POST("/api/v1/draft/second-queue", {
          body: { queue: queue.name, called: v.called.trim(), language: v.language },
        }),
      ),
    onDone: () => draftChanged(client),
  });
  if (languages.length === 0) return null;
  return (
    <section aria-label="Page language" className="border-t border-rule pt-3">
      <h3 className="font-medium">What is printed here?</h3>
      <div className="mt-1 grid grid-cols-2 gap-x-4 gap-y-1">
        {driverUses.map((u) => (
          <label key={u} className="flex min-h-[24px] items-center gap-2">
            <input
              type="checkbox"
              className="size-[18px] shrink-0 accent-accent"
              checked={uses.includes(u)}
              onChange={(e) =>
                setUses(e.target.checked ? [...uses, u] : uses.filter((o) => o !== u))
              }
            />
            {saying[u]}
          </label>
        ))}
      </div>
      {uses.length > 0 && names.data?.advice && (
        <p className="mt-2" role="status">
          <Mark of="note">{names.data.advice}</Mark>
        </p>
      )}
      <Form
        label="A second queue"
        failed="No queue was added"
        form={form}
        foot={
          <p className="flex items-center gap-3">
            <Button
              type="submit"
              disabled={!form.value.language || !form.value.called.trim() || form.busy}
            >
              Add the second queue
            </Button>
            {form.result && (
              <span role="status">
                <Mark of="yes">{form.result.proposal.queue.name} is in the draft.</Mark>
              </span>
            )}
          </p>
        }
      >
        <p className="text-ink-2">
          Where two languages are needed, a second queue prints on the same device.
        </p>
        <div className="flex flex-wrap gap-3">
          <label className="flex flex-col">
            Its language
            <select
              className={inputLook}
              value={form.value.language}
              onChange={(e) => form.change({ language: e.target.value })}
            >
              <option value="">choose</option>
              {languages.map((l) => (
                <option key={l}>{l}</option>
              ))}
            </select>
          </label>
          <label className="flex flex-col">
            Its name
            <input
              className={inputLook}
              value={form.value.called}
              placeholder={`${queue.name}-2`}
              onChange={(e) => form.change({ called: e.target.value })}
            />
          </label>
        </div>
      </Form>
      {form.result?.proposal.remarks.map((r) => (
        <p key={r}>
          <Mark of="note">{r}</Mark>
        </p>
      ))}
    </section>
  );
}
