import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, askAll, ProblemError, type Finding } from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { BegunNotice } from "../../parts/BegunNotice";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { SignInNotice } from "../../parts/SignInNotice";
import { Past } from "../../parts/Past";
import { Rename } from "../../parts/Rename";
import { useMay } from "../../parts/useMay";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { KeyField } from "./KeyField";
import { labelOf, tidied, type Keyed, type ListName, type Thing } from "./model";
import { useBegun } from "../../parts/useBegun";

type ObjectSheetProps = {
  list: ListName;
  keyed: Keyed;
  /** The name of the object; empty for a new one. */
  name: string;
  /** As the draft has it, or how a new one begins. */
  object: Thing;
  /** What the draft does to it, if anything. */
  state: string;
  findings: Finding[];
  onDone: (name: string) => void;
};

/** What there is to remark on, as the draft has it. */
function Remarks({ of }: { of: Finding[] }) {
  return of.map((f, i) => (
    <Mark key={i} of={f.severity}>
      {f.says}; {f.fix}.
    </Mark>
  ));
}

/** All that the estate says of one object, to be changed in the draft. */
export function ObjectSheet(props: ObjectSheetProps) {
  const { list, keyed, name, object, state, findings, onDone } = props;
  const fresh = name === "";
  const mayEdit = useMay("edit a draft");
  const client = useQueryClient();
  const begun = useBegun(`${list}/${name || "new"}`, object);
  const v = begun.value;
  const change = (part: Thing) => {
    begun.setValue({ ...v, ...part });
    if (!save.isIdle) save.reset();
  };
  const setting = list === "settings";
  const called = setting ? (keyed.name ?? "") : String(v[keyed.by] ?? "").trim();
  const done = async (to: string) => {
    begun.forget();
    await draftChanged(client);
    onDone(to);
  };
  const save = useMutation({
    mutationFn: () => {
      const tidy = tidied(v);
      if (setting && Object.keys(tidy).length === 0)
        return sendEdits([{ list, name: called, remove: true }]);
      const whole = setting ? tidy : { ...tidy, [keyed.by]: called };
      return sendEdits([{ list, name: called, object: whole, create: fresh && !setting }]);
    },
    onSuccess: () => done(called),
  });
  const undo = useMutation({
    mutationFn: () => sendEdits([{ list, name, undo: true }]),
    onSuccess: () => done(""),
  });
  const remove = useMutation({
    mutationFn: (along: boolean) => sendEdits([{ list, name, remove: true, along }]),
    onSuccess: () => done(""),
  });
  const { at, rest } = wrongKeys(
    save.error,
    keyed.keys.map((k) => k.name),
  );
  const shown = Object.keys(at).length > 0 && rest === 0 ? null : save.error;
  return (
    <form
      aria-label={`${keyed.word} ${called || "new"}`}
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <Remarks of={findings.filter((f) => !keyed.keys.some((k) => k.name === f.key))} />
      <BegunNotice begun={begun} />
      {keyed.keys.map((k) =>
        k.name === keyed.by && !setting ? (
          fresh && (
            <Field
              key={k.name}
              label={labelOf(k.name)}
              hint={k.doc ?? "Lower-case letters, digits, dots, dashes, underscores."}
              error={at[k.name]}
              value={String(v[k.name] ?? "")}
              onChange={(e) => change({ [k.name]: e.target.value })}
            />
          )
        ) : (
          <div key={k.name} className="flex flex-col gap-1">
            <KeyField
              list={list}
              of={k}
              value={v[k.name]}
              error={at[k.name]}
              onChange={(value) => change({ [k.name]: value })}
            />
            <Remarks of={findings.filter((f) => f.key === k.name)} />
          </div>
        ),
      )}
      {setting && called === "sign_in" && typeof v.notice === "string" && v.notice && (
        <figure aria-label="Preview of the notice">
          <figcaption className="mb-1 text-ink-2">
            So it stands above the fields of a sign-in:
          </figcaption>
          <SignInNotice text={v.notice} />
        </figure>
      )}
      {list === "queues" && !fresh && <MayPrint queue={name} />}
      {shown && <ProblemNotice title="It cannot be kept like this" error={shown} />}
      {undo.error && <ProblemNotice title="It cannot be undone by itself" error={undo.error} />}
      {remove.error && <ProblemNotice title="It cannot be taken out" error={remove.error} />}
      {remove.error && !remove.variables && list !== "locations" && (
        <p>
          <Button disabled={remove.isPending} onClick={() => remove.mutate(true)}>
            Take it out of them, too
          </Button>{" "}
          What says nothing more then goes with it; all of it can be undone in the draft.
        </p>
      )}
      {mayEdit ? (
        <div className="flex flex-wrap gap-2">
          <Button kind="main" type="submit" disabled={!called || save.isPending}>
            Keep in the draft
          </Button>
          {state && (
            <Button disabled={undo.isPending} onClick={() => undo.mutate()}>
              As it is published
            </Button>
          )}
          {!fresh && !setting && (
            <Button disabled={remove.isPending} onClick={() => remove.mutate(false)}>
              Take it out
            </Button>
          )}
        </div>
      ) : (
        <p className="text-ink-2">Your role may look, and not change it.</p>
      )}
      {mayEdit && !fresh && list !== "settings" && list !== "subnets" && (
        <Rename
          key={name}
          list={list}
          word={keyed.word}
          name={name}
          onDone={(to) => {
            begun.forget();
            onDone(to);
          }}
        />
      )}
      {!fresh && !setting && <Dependents list={list} name={name} />}
      {!fresh && <Past key={`past ${name}`} list={list} name={called} />}
    </form>
  );
}

/** What a problem says of single keys, and how much of it is about none. */
function wrongKeys(
  error: Error | null,
  keys: string[],
): { at: Record<string, string>; rest: number } {
  const at: Record<string, string> = {};
  let rest = 0;
  if (error instanceof ProblemError)
    for (const { key, what, fix } of error.problem.places ?? []) {
      // What the estate as a whole says against it begins with the key that it is about.
      const of = key ?? keys.find((k) => what.startsWith(`${k} `));
      if (of) at[of] ??= fix ? `${what}; ${fix}` : what;
      else rest++;
    }
  return { at, rest };
}

/** What names the object: what would not hold together without it. */
function Dependents({ list, name }: { list: ListName; name: string }) {
  const named = useQuery({
    queryKey: ["draft", "dependents", list, name],
    queryFn: ({ signal }) =>
      askAll((query) =>
        api.GET("/api/v1/draft/dependents", {
          params: { query: { ...query, list: list as "queues", object: name } },
          signal,
        }),
      ),
  });
  if (!named.data) return null;
  return (
    <section aria-label="Named by">
      <h3 className="font-medium">Named by</h3>
      {named.data.length === 0 ? (
        <p className="text-ink-2">Nothing: it can be taken out.</p>
      ) : (
        <ul>
          {named.data.slice(0, 50).map((r) => (
            <li key={`${r.list}/${r.name}`} className="min-h-[24px]">
              <Link
                to={
                  r.list === "grants"
                    ? `/grants?grant=${encodeURIComponent(r.name)}`
                    : `/estate?list=${r.list}&open=${encodeURIComponent(r.name)}`
                }
              >
                {r.list.replaceAll("_", " ").replace(/s$/, "")} {r.name}
              </Link>
            </li>
          ))}
          {named.data.length > 50 && (
            <li className="text-ink-2">and {named.data.length - 50} more</li>
          )}
        </ul>
      )}
    </section>
  );
}

/** How many the access rules let print, as they are published. */
function MayPrint({ queue }: { queue: string }) {
  const holders = useQuery({
    queryKey: ["holders", queue, "count"],
    queryFn: ({ signal }) =>
      api
        .GET("/api/v1/queues/{name}/holders", {
          params: { path: { name: queue }, query: { limit: 1 } },
          signal,
        })
        .then((r) => r.data),
    retry: false,
  });
  const h = holders.data;
  if (!h) return null;
  return (
    <p role="status" className="text-ink-2">
      At present {count(h.permitted.people, "person")} and {count(h.permitted.machines, "machine")}{" "}
      may print to it, as it is published.
    </p>
  );
}
