import { api, askAll } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Table } from "../../ui/Table";
import { ways } from "./ways";

/** Whom a machine's agent would take somebody for, tried without anybody signing in there. */
export function TryIdentity() {
  const form = useForm({
    start: { machine: "", login: "" },
    keeps: true,
    send: (v) =>
      askAll((query) =>
        api.GET("/api/v1/endpoints/{machine}/identities", {
          params: {
            path: { machine: v.machine.trim() },
            query: { ...query, login: v.login.trim() },
          },
        }),
      ),
  });
  return (
    <section aria-label="Try one machine" className="mt-8">
      <h2>Try one machine</h2>
      <Form
        label="Try one machine"
        failed="It could not be tried"
        form={form}
        foot={
          <p>
            <Button type="submit" disabled={!form.value.machine.trim() || form.busy}>
              Who would it be?
            </Button>
          </p>
        }
      >
        <div className="flex flex-wrap gap-4">
          <label className="flex flex-col gap-1">
            Machine
            <input
              className={`${inputLook} w-48`}
              value={form.value.machine}
              onChange={(e) => form.change({ machine: e.target.value })}
            />
          </label>
          <label className="flex flex-col gap-1">
            Sign-in name
            <input
              className={`${inputLook} w-56`}
              value={form.value.login}
              placeholder="those signed in there"
              onChange={(e) => form.change({ login: e.target.value })}
            />
          </label>
        </div>
      </Form>
      {form.result?.map((id) => (
        <div key={id.login} className="mt-3" role="status">
          <p>
            <strong>{id.login}</strong> at {id.machine}, which{" "}
            {id.listed
              ? `is in the directory${id.unit ? `, in ${id.unit}` : ""}`
              : "is in no directory here"}
            {id.heard ? "." : "; no agent of it has reported yet."}
          </p>
          <Table label={`Who ${id.login} would be`} heads={["People are known", "So"]}>
            {id.ways.map((w) => (
              <tr key={w.user_from} className="border-b border-rule align-baseline">
                <th scope="row" className="w-56 px-2 py-1 text-left font-medium">
                  {ways.find((v) => v.value === w.user_from)?.label}
                  {w.set && <span className="block font-normal text-ink-2">as it is set</span>}
                </th>
                <td className="px-2 py-1">{w.says}</td>
              </tr>
            ))}
          </Table>
        </div>
      ))}
    </section>
  );
}
