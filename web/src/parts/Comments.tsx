import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, askAll } from "../api/client";
import { ago, stamp } from "../lib/time";
import { useNow } from "../lib/useNow";
import { Button } from "../ui/Button";
import { Field } from "../ui/Field";
import { Form } from "./Form";
import { ProblemNotice } from "./ProblemNotice";
import { useForm } from "./useForm";
import { useMay } from "./useMay";

/** What was said of a draft, and a place to say more; of a revision, what was said before it. */
export function Comments({ of, id }: { of: "draft" | "revision"; id: number }) {
  const client = useQueryClient();
  const now = useNow();
  const may = useMay("edit a draft") && of === "draft";
  const key = ["draft", "comments", of, id];
  const said = useQuery({
    queryKey: key,
    queryFn: ({ signal }) =>
      askAll((query) =>
        of === "draft"
          ? api.GET("/api/v1/drafts/{id}/comments", { params: { path: { id }, query }, signal })
          : api.GET("/api/v1/revisions/{number}/comments", {
              params: { path: { number: id }, query },
              signal,
            }),
      ),
  });
  const form = useForm({
    start: { says: "" },
    send: ({ says }) =>
      ask(api.POST("/api/v1/drafts/{id}/comments", { params: { path: { id } }, body: { says } })),
    onDone: () => client.invalidateQueries({ queryKey: key }),
  });
  const list = said.data ?? [];
  if (!may && list.length === 0 && !said.error) return null;
  return (
    <section aria-label="Comments" className="mt-4">
      {list.length > 0 && <h3 className="font-medium">Comments</h3>}
      {said.error && <ProblemNotice title="They cannot be shown" error={said.error} />}
      <ul>
        {list.map((c) => (
          <li key={c.id} className="border-b border-rule py-1">
            <span className="text-ink-2">
              {c.author},{" "}
              <time dateTime={c.at} title={stamp(c.at)}>
                {ago(c.at, now)}
              </time>
              {c.list && `, of ${c.object ?? ""}`}:
            </span>{" "}
            {c.says}
          </li>
        ))}
      </ul>
      {may && (
        <Form
          label="Say something of the draft"
          failed="It was not kept"
          form={form}
          className="mt-2 gap-3"
          foot={null}
        >
          <div className="flex flex-wrap items-end gap-3">
            <Field label="Comment" className="min-w-72 flex-1" {...form.text("says")} />
            <Button type="submit" disabled={!form.value.says.trim() || form.busy}>
              Say it
            </Button>
          </div>
        </Form>
      )}
    </section>
  );
}
