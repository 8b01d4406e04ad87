import { queryOptions, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, askAll, type AgentSettings } from "../../api/client";
import { draftChanged, draftDocumentQuery, sendEdits } from "../../api/drafts";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Failure, Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";
import { TryIdentity } from "./TryIdentity";
import { ways } from "./ways";

const unmatchedQuery = () =>
  queryOptions({
    queryKey: ["endpoints", "unmatched"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/directory/unmatched", { params: { query }, signal })),
  });

/** What is chosen and not yet kept; undefined is as it is kept. */
type Chosen = { way?: NonNullable<AgentSettings["user_from"]>; notice?: string };
const asKept: Chosen = {};

/** How agents know who sits at a machine; a setting of the estate, in the draft. */
export function KnowingPeople({ mayEdit }: { mayEdit: boolean }) {
  const client = useQueryClient();
  const doc = useQuery({ ...draftDocumentQuery(), enabled: mayEdit });
  const unmatched = useQuery(unmatchedQuery());
  const kept = doc.data?.settings?.agents;
  const wayOf = (v: Chosen) => v.way ?? kept?.user_from ?? "system-unless-unknown";
  const wordsOf = (v: Chosen) => v.notice ?? kept?.notice ?? "";
  const form = useForm({
    start: asKept,
    send: (v) => {
      const notice = wordsOf(v).trim();
      const object = { ...kept, user_from: wayOf(v), notice: notice || undefined };
      return sendEdits([{ list: "settings", name: "agents", object }]);
    },
    onDone: () => draftChanged(client),
  });
  const [way, notice] = [wayOf(form.value), wordsOf(form.value)];
  const changed =
    way !== (kept?.user_from ?? "system-unless-unknown") || notice.trim() !== (kept?.notice ?? "");
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-2">
      <section aria-label="Names that nobody here has">
        <h2>Names that nobody here has</h2>
        {unmatched.isPending ? (
          <Waiting what="the names" />
        ) : !unmatched.data ? (
          <Failure title="The names cannot be shown" problem={unmatched.error} />
        ) : unmatched.data.length === 0 ? (
          <p className="text-ink-2">Every name that an endpoint gives is in the directory.</p>
        ) : (
          <>
            <Table label="Names that nobody here has" heads={["Name", "On", "May be"]}>
              {unmatched.data.map((s) => (
                <tr key={s.name} className="border-b border-rule align-baseline">
                  <th scope="row" className="px-2 py-1 text-left font-medium break-all">
                    {s.name}
                  </th>
                  <td className="px-2 py-1">{s.machines.join(", ")}</td>
                  <td className="px-2 py-1">
                    {s.near.map((n) => (
                      <Link key={n} className="mr-2" to={`/people/${encodeURIComponent(n)}`}>
                        {n}
                      </Link>
                    ))}
                  </td>
                </tr>
              ))}
            </Table>
            <p className="mt-1 text-ink-2">
              They receive what everybody does. A name is linked with somebody on that person's
              page.
            </p>
          </>
        )}
        <TryIdentity />
      </section>
      {mayEdit &&
        (doc.isPending ? (
          <Waiting what="the draft" />
        ) : (
          <Form
            label="How agents know people"
            failed="The draft was not changed"
            form={form}
            foot={
              <p className="flex items-center gap-3">
                <Button kind="main" type="submit" disabled={!changed || form.busy}>
                  Put it into the draft
                </Button>
                {form.result !== undefined && !changed && (
                  <span role="status" className="text-ink-2">
                    It is in the draft; publish it.
                  </span>
                )}
              </p>
            }
          >
            <h2>How agents know who sits at a machine</h2>
            <fieldset className="flex flex-col gap-2">
              <legend className="sr-only">How agents know people</legend>
              {ways.map((w) => (
                <label key={w.value} className="flex gap-2">
                  <input
                    type="radio"
                    name="way"
                    aria-label={w.label}
                    className="mt-0.5 size-[24px] shrink-0 accent-accent"
                    checked={way === w.value}
                    onChange={() => form.change({ way: w.value })}
                  />
                  <span>
                    {w.label}
                    <span className="block text-ink-2">{w.says}</span>
                  </span>
                </label>
              ))}
            </fieldset>
            <label className="flex flex-col gap-1 font-medium">
              What a person reads who is asked
              <textarea
                className={`${inputLook} h-24 font-normal`}
                maxLength={2000}
                value={notice}
                placeholder="such as: Say who you are, with your Skerry name and password."
                onChange={(e) => form.change({ notice: e.target.value })}
              />
            </label>
            {way !== "system" && (
              <figure
                className="border border-rule-strong bg-wash px-4 py-3"
                aria-label="As the person sees it"
              >
                <figcaption className="text-ink-2">As the person sees it</figcaption>
                <p className="mt-1 whitespace-pre-wrap font-mono">
                  {notice.trim() && `${notice.trim()}\n`}Name: ▂{"\n"}Password:
                </p>
              </figure>
            )}
          </Form>
        ))}
    </div>
  );
}
