import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, askAll } from "../../api/client";
import type { components } from "../../api/schema";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useMay } from "../../parts/useMay";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";

type Found = components["schemas"]["AdvertFound"];

const marks: Record<Found["state"], string> = {
  ours: "yes",
  leads: "yes",
  gone: "no",
  unknown: "idle",
};

/** Printer entries of the directories, whoever wrote them, looked for as people's programs do. */
export function Printers() {
  const client = useQueryClient();
  const mayKeep = useMay("keep the directory's sources");
  const [words, setWords] = useState("");
  const [asked, setAsked] = useState("");
  const found = useQuery({
    queryKey: ["directory", "printers", asked],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/directory/printers", {
          params: { query: { ...query, word: asked.split(/\s+/).filter(Boolean) } },
          signal,
        }),
      ),
    retry: false,
  });
  const remove = useMutation({
    mutationFn: (f: Found) =>
      ask(
        api.DELETE("/api/v1/directory/printers", {
          params: { query: { source: f.source, dn: f.dn } },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["directory", "printers"] }),
  });
  const list = found.data ?? [];
  return (
    <section aria-label="Printer entries" className="mt-3">
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          setAsked(words.trim());
        }}
      >
        <Field
          label="Words of the name, the place or the model"
          value={words}
          className="min-w-72"
          onChange={(e) => setWords(e.target.value)}
        />
        <Button kind="main" type="submit">
          Look
        </Button>
        {found.data && <span className="pb-1 text-ink-2">{count(list.length, "entry")}</span>}
      </form>
      {found.isPending && <Waiting what="the directories" />}
      {found.error && <ProblemNotice title="The directories were not asked" error={found.error} />}
      {remove.error && <ProblemNotice title="The entry stays" error={remove.error} />}
      {found.data && list.length === 0 && (
        <div className="mt-3">
          <Empty title="No entry is like that">
            Printers stand in a directory once their queues are listed, or where somebody else has
            written them.
          </Empty>
        </div>
      )}
      {list.length > 0 && (
        <div className="mt-3 overflow-x-auto">
          <Table
            label="Printer entries"
            heads={["Printer", "Location", "Model", "Where it leads", "In"]}
          >
            {list.map((f) => (
              <tr key={`${f.source} ${f.dn}`} className="border-b border-rule align-top">
                <th scope="row" className="px-2 py-1 text-left font-medium">
                  {f.name}
                  {f.info && <span className="block font-normal text-ink-2">{f.info}</span>}
                </th>
                <td className="px-2 py-1">{f.location}</td>
                <td className="px-2 py-1">{f.model}</td>
                <td className="px-2 py-1">
                  <Mark of={marks[f.state] ?? "idle"}>{f.says}</Mark>
                  {f.uri && <span className="block font-mono break-all text-ink-2">{f.uri}</span>}
                  {f.state === "gone" && mayKeep && (
                    <Button disabled={remove.isPending} onClick={() => remove.mutate(f)}>
                      Take the entry out
                    </Button>
                  )}
                </td>
                <td className="px-2 py-1 whitespace-nowrap">{f.source}</td>
              </tr>
            ))}
          </Table>
        </div>
      )}
    </section>
  );
}
