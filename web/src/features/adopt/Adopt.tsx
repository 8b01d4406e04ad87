import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask, type Proposal, type Selection } from "../../api/client";
import { draftChanged, draftDocumentQuery } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { propose } from "../../api/stock";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Waiting } from "../../ui/Notice";
import { lacking, named } from "../../parts/stock";

/** What was found, as it would be in the estate: looked through, changed, and taken into the draft. */
export function Adopt({ selections, onDone }: { selections: Selection[]; onDone: () => void }) {
  const client = useQueryClient();
  const [list, setList] = useState<Proposal[] | null>(null);
  const [off, setOff] = useState<Set<number>>(new Set());
  const document = useQuery(draftDocumentQuery());
  const ask1 = useMutation({
    mutationFn: (names: string) => propose(selections, names),
    onSuccess: (v) => {
      setList(v);
      setOff(new Set(v.flatMap((p, i) => (p.already ? [i] : []))));
    },
  });
  const { mutate } = ask1;
  useEffect(() => mutate(""), [mutate]);
  const [pattern, setPattern] = useState("");
  const adopt = useMutation({
    mutationFn: (proposals: Proposal[]) =>
      ask(api.POST("/api/v1/stock/adoptions", { body: { proposals } })),
    onSuccess: async () => {
      await draftChanged(client);
      await client.invalidateQueries({ queryKey: ["stock"] });
      onDone();
    },
  });
  if (ask1.error && !list)
    return <ProblemNotice title="Nothing can be proposed" error={ask1.error} />;
  if (!list) return <Waiting what="the proposals" />;
  const change = (i: number, p: Proposal) => setList(list.map((o, j) => (j === i ? p : o)));
  const chosen = list.filter((_, i) => !off.has(i));
  const taken = new Set((document.data?.queues ?? []).map((q) => q.name));
  const names = chosen.map((p) => p.queue.name);
  const wrong = chosen.filter((p) => lacking(p, taken, names) !== "").length;
  const locations = (document.data?.locations ?? []).map((l) => l.path);
  return (
    <div className="flex flex-col gap-3">
      <p className="text-ink-2">
        Names, titles, locations, labels, paths, drivers and defaults are made of what was read.
        Look through them; nothing reaches people before you publish the draft.
      </p>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          mutate(pattern.trim());
        }}
      >
        <label className="flex flex-col">
          Names by a pattern
          <input
            className={`${inputLook} w-72`}
            value={pattern}
            placeholder="{last}-{model}-{n}"
            onChange={(e) => setPattern(e.target.value)}
          />
        </label>
        <Button type="submit" disabled={ask1.isPending}>
          Name them anew
        </Button>
        <span className="text-ink-2">
          {
            "{name}, {title}, {location}, {site}, {last}, {model}, {address} and {n} may stand in it."
          }
        </span>
      </form>
      {ask1.error && <ProblemNotice title="They keep their names" error={ask1.error} />}
      <datalist id="locations">
        {locations.map((l) => (
          <option key={l} value={l} />
        ))}
      </datalist>
      <ul>
        {list.map((p, i) => {
          const on = !off.has(i);
          const lack = on ? lacking(p, taken, names) : "";
          const set = (part: Partial<Proposal["queue"]>) =>
            change(i, { ...p, queue: { ...p.queue, ...part } });
          return (
            <li key={`${p.from}/${p.found}`} className="border-b border-rule py-2">
              <label className="flex min-h-[24px] items-center gap-2">
                <input
                  type="checkbox"
                  className="size-[18px] accent-accent"
                  checked={on}
                  onChange={() =>
                    setOff((old) => {
                      const next = new Set(old);
                      if (!next.delete(i)) next.add(i);
                      return next;
                    })
                  }
                />
                <strong className="font-medium">{p.found}</strong>
                <span className="text-ink-2">
                  {p.kind === "device" ? "a device" : `on ${p.from}`}
                  {p.already && (
                    <>
                      ; the estate’s <strong className="font-medium">{p.already}</strong> leads
                      there already
                    </>
                  )}
                </span>
              </label>
              {on && (
                <>
                  <div className="mt-1 grid grid-cols-2 gap-x-3 gap-y-1 pl-6">
                    <label className="flex flex-col">
                      Name
                      <input
                        className={inputLook}
                        value={p.queue.name}
                        aria-invalid={lack !== ""}
                        onChange={(e) => change(i, named(p, e.target.value.trim()))}
                      />
                    </label>
                    <label className="flex flex-col">
                      Title
                      <input
                        className={inputLook}
                        value={p.queue.title ?? ""}
                        onChange={(e) => set({ title: e.target.value })}
                      />
                    </label>
                    <label className="flex flex-col">
                      Location
                      <input
                        className={inputLook}
                        list="locations"
                        value={p.queue.location ?? ""}
                        onChange={(e) => set({ location: e.target.value.trim() })}
                      />
                    </label>
                    <label className="flex flex-col">
                      Labels
                      <input
                        className={inputLook}
                        value={(p.queue.labels ?? []).join(" ")}
                        onChange={(e) =>
                          set({ labels: e.target.value.split(/\s+/).filter(Boolean) })
                        }
                      />
                    </label>
                  </div>
                  <p className="mt-1 pl-6 text-ink-2">
                    {(p.queue.paths ?? [])
                      .map((x) =>
                        x.server
                          ? `through ${x.server}`
                          : x.set
                            ? `through the set ${x.set}`
                            : x.device
                              ? `straight to ${x.device}`
                              : "through the gateway",
                      )
                      .join(", then ") || "no path yet"}
                    {p.device && <>; adds the device {p.device.name}</>}
                    {p.server && <>; adds the server {p.server.name}</>}
                    {p.drivers && p.drivers.length > 0 && (
                      <>; adds {count(p.drivers.length, "driver")}</>
                    )}
                  </p>
                  {lack && (
                    <p role="alert" className="pl-6 text-bad">
                      Name: {lack}.
                    </p>
                  )}
                  {p.remarks.length > 0 && (
                    <ul className="pl-6">
                      {p.remarks.map((r) => (
                        <li key={r}>
                          <Mark of="note">{r}</Mark>
                        </li>
                      ))}
                    </ul>
                  )}
                </>
              )}
            </li>
          );
        })}
      </ul>
      {adopt.error && <ProblemNotice title="Nothing was adopted" error={adopt.error} />}
      <div className="sticky bottom-0 flex items-center gap-3 border-t border-rule bg-sheet py-2">
        <Button
          kind="main"
          disabled={chosen.length === 0 || wrong > 0 || adopt.isPending}
          onClick={() => adopt.mutate(chosen)}
        >
          Keep {count(chosen.length, "queue")} in the draft
        </Button>
        <span role="status" className="text-ink-2">
          {wrong > 0
            ? `${count(wrong, "name")} to mend first`
            : chosen.length === 0
              ? "Choose at least one."
              : ""}
        </span>
      </div>
    </div>
  );
}
