import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { count } from "../../lib/words";
import { useMay } from "../../parts/useMay";
import { Button } from "../../ui/Button";
import { Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Table } from "../../ui/Table";
import { sourcesQuery } from "../../api/directory";

const linksQuery = () =>
  queryOptions({
    queryKey: ["links"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/directory/links", { signal })),
  });

type Turn = { rule: "address" | "employee"; on: boolean };

const rules = [
  {
    rule: "address",
    key: "by_address",
    says: "Accounts of different sources with one mail address are one person",
  },
  {
    rule: "employee",
    key: "by_employee",
    says: "Accounts of different sources with one employee number are one person",
  },
] as const;

/** How it is decided which accounts are one person. */
export function Links() {
  const client = useQueryClient();
  const may = useMay("say which names are one person");
  const links = useQuery(linksQuery());
  const sources = useQuery(sourcesQuery());
  const fresh = () => client.invalidateQueries();
  const put = (v: Turn, dry: boolean) =>
    ask(
      api.PUT("/api/v1/directory/link-rules/{rule}", {
        params: { path: { rule: v.rule } },
        body: { on: v.on, dry },
      }),
    );
  const look = useMutation({ mutationFn: (v: Turn) => put(v, true) });
  const set = useMutation({
    mutationFn: (v: Turn) => put(v, false),
    onSuccess: async () => {
      look.reset();
      await fresh();
    },
  });
  const primary = useMutation({
    mutationFn: (source: string) => ask(api.PUT("/api/v1/directory/primary", { body: { source } })),
    onSuccess: fresh,
  });
  const undo = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/v1/directory/links/{id}", { params: { path: { id } } })),
    onSuccess: fresh,
  });
  if (links.isPending) return <Waiting what="the names" />;
  if (!links.data) return <Failure title="The names cannot be shown" problem={links.error} />;
  const j = links.data;
  const names = [...new Set([...(sources.data ?? []).map((s) => s.name), ...j.sources])].sort();
  const error = look.error ?? set.error ?? primary.error ?? undo.error;
  return (
    <div className="mt-3 flex max-w-[60rem] flex-col gap-4">
      <p>
        {count(j.people, "person")} {j.people === 1 ? "has" : "have"} several accounts or names.
        Accounts of one name always are one person, since whoever asks gives no more than a name;
        beyond that it is for you to say. What is linked has the groups, grants and picks of all its
        names.
      </p>
      <fieldset disabled={!may} className="flex flex-col gap-1">
        <legend className="font-medium">Rules</legend>
        {rules.map((r) => (
          <label key={r.rule} className="flex min-h-[24px] items-center gap-2">
            <input
              type="checkbox"
              aria-label={r.says}
              className="size-[24px] shrink-0 accent-accent"
              checked={j[r.key]}
              onChange={(e) => look.mutate({ rule: r.rule, on: e.target.checked })}
            />{" "}
            {r.says}
          </label>
        ))}
        {look.data && look.variables && (
          <p
            role="status"
            className="flex flex-wrap items-center gap-3 border-l-2 border-accent bg-accent-wash px-3 py-2"
          >
            {count(look.data.people, "person")} would have several accounts or names, instead of{" "}
            {j.people}; that counts at once.
            <Button onClick={() => set.mutate(look.variables)}>
              {look.variables.on ? "Link them" : "Link them no more"}
            </Button>
            <Button onClick={() => look.reset()}>Leave it</Button>
          </p>
        )}
        <div className="mt-1 w-72">
          <Select
            label="Whose account stands for the person"
            value={j.primary ?? ""}
            all="the first source by name"
            options={names}
            onChange={(v) => primary.mutate(v)}
          />
        </div>
      </fieldset>
      {error && <ProblemNotice title="Nothing was changed" error={error} />}
      <section aria-label="By hand">
        <h2>By hand</h2>
        {j.by_hand.length === 0 ? (
          <p className="text-ink-2">
            Nothing. Two names are linked on the person&apos;s page, which{" "}
            <Link to="/directory">finding people</Link> leads to.
          </p>
        ) : (
          <Table label="By hand" heads={["Name", "And", "Are", "By", "Why", ""]}>
            {j.by_hand.map((h) => (
              <tr key={h.id} className="border-b border-rule align-baseline">
                <th scope="row" className="px-2 py-1 text-left font-medium break-all">
                  <Link to={`/people/${encodeURIComponent(h.a.name)}`}>
                    {h.a.source ? `${h.a.source}/` : ""}
                    {h.a.name}
                  </Link>
                </th>
                <td className="px-2 py-1 break-all">
                  {h.b.source ? `${h.b.source}/` : ""}
                  {h.b.name}
                </td>
                <td className="px-2 py-1">{h.unlinked ? "two people" : "one person"}</td>
                <td className="px-2 py-1">
                  {h.author}, {h.at.slice(0, 10)}
                </td>
                <td className="px-2 py-1">{h.reason}</td>
                <td className="px-2 py-1">
                  {may && (
                    <button
                      type="button"
                      className="min-h-[24px] underline"
                      aria-label={`undo ${h.a.name} and ${h.b.name}`}
                      onClick={() => undo.mutate(h.id)}
                    >
                      undo
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </Table>
        )}
      </section>
      {j.remarks.length > 0 && (
        <section aria-label="Not linked">
          <h2>Not linked</h2>
          <ul className="list-disc pl-5">
            {j.remarks.map((r) => (
              <li key={r}>{r.charAt(0).toUpperCase() + r.slice(1)}.</li>
            ))}
          </ul>
        </section>
      )}
    </div>
  );
}
