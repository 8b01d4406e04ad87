import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Subject } from "../../api/client";
import { Form } from "../../parts/Form";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Table } from "../../ui/Table";

type Tie = NonNullable<Subject["names"]>[number];

function because(t: Tie): string {
  switch (t.how) {
    case "name":
      return "has the same name";
    case "address":
      return `has the address ${t.by}`;
    case "employee":
      return `has the employee number ${t.by}`;
    case "hand":
      return `${t.by} says so`;
    default:
      return "stands for the person";
  }
}

/** Under which names somebody is known, why, and how to undo it. */
export function Names({ of: s }: { of: Subject }) {
  const client = useQueryClient();
  const fresh = () => client.invalidateQueries();
  const link = useForm({
    start: { b: "" },
    send: ({ b }) => ask(api.POST("/api/v1/directory/links", { body: { a: s.name, b: b.trim() } })),
    onDone: fresh,
  });
  const undo = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/v1/directory/links/{id}", { params: { path: { id } } })),
    onSuccess: fresh,
  });
  const unlink = useMutation({
    mutationFn: (t: Tie) =>
      ask(
        api.POST("/api/v1/directory/links", {
          body: { a: first, b: `${t.source}/${t.name}`, unlinked: true },
        }),
      ),
    onSuccess: fresh,
  });
  const failed = undo.error ?? unlink.error;
  const primary = s.names?.[0];
  const first = primary ? `${primary.source}/${primary.name}` : s.name;
  return (
    <section aria-label="Names">
      <h2>Names</h2>
      {s.names && s.names.length > 0 ? (
        <Table label="Names" heads={["Name", "From", "Why", ""]}>
          {s.names.map((t, i) => (
            <tr key={i} className="border-b border-rule align-baseline">
              <th scope="row" className="px-2 py-1 text-left font-medium break-all">
                {t.name}
              </th>
              <td className="px-2 py-1">{t.source || "no directory"}</td>
              <td className="px-2 py-1">{because(t)}</td>
              <td className="px-2 py-1">
                {t.how === "hand" && t.link && (
                  <button
                    type="button"
                    className="min-h-[24px] underline"
                    aria-label={`Undo the link of ${t.name}`}
                    onClick={() => undo.mutate(t.link ?? 0)}
                  >
                    undo
                  </button>
                )}
                {(t.how === "address" || t.how === "employee") && (
                  <button
                    type="button"
                    className="min-h-[24px] underline"
                    aria-label={`Unlink ${t.name}`}
                    onClick={() => unlink.mutate(t)}
                  >
                    unlink
                  </button>
                )}
              </td>
            </tr>
          ))}
        </Table>
      ) : (
        <p className="text-ink-2">One: {s.name}.</p>
      )}
      {s.user && (
        <Form
          className="mt-2 gap-3"
          label="Another name"
          failed="Nothing was changed"
          form={link}
          foot={null}
        >
          <div className="flex flex-wrap items-end gap-3">
            <Field
              label="Another name of theirs"
              placeholder="SOURCE/NAME, or as a machine writes it"
              className="min-w-64 flex-1"
              {...link.text("b")}
            />
            <Button type="submit" disabled={!link.value.b.trim() || link.busy}>
              It is theirs too
            </Button>
          </div>
        </Form>
      )}
      {failed && <ProblemNotice title="Nothing was changed" error={failed} />}
    </section>
  );
}
