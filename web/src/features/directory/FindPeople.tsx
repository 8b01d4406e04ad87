import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { FoundOne } from "../../api/client";
import { findQuery } from "../../api/drafts";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { count } from "../../lib/words";
import { Field } from "../../ui/Field";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { SubjectDrawer } from "../../parts/SubjectDrawer";

const kinds = ["user", "group", "unit", "machine"] as const;
const words: Record<string, string> = {
  user: "people",
  group: "groups",
  unit: "units",
  machine: "machines",
};

/** Finds by part of a name, full name or unit, however many there are. */
export function FindPeople() {
  const { get, set, put } = useUrl();
  const [word, setWord] = useUrlText(get("find"), (v) => set("find", v));
  const kind = get("kind");
  const found = useQuery(
    findQuery(
      kinds.filter((k) => !kind || k === kind),
      get("find"),
    ),
  );
  return (
    <section aria-label="People, groups and machines" className="mt-3">
      <div className="flex flex-wrap items-end gap-4">
        <Field
          label="Find"
          type="search"
          value={word}
          placeholder="part of a name or unit"
          onChange={(e) => setWord(e.target.value)}
          className="w-72"
        />
        <Select
          label="Kind"
          value={kind}
          options={kinds.map((k) => ({ value: k, label: words[k] ?? k }))}
          onChange={(v) => set("kind", v)}
        />
      </div>
      {found.isPending ? (
        <Waiting what="the directory" />
      ) : !found.data ? (
        <Failure title="The directory cannot be shown" problem={found.error} />
      ) : found.data.total === 0 ? (
        <div className="mt-3">
          <Empty title="Nothing is called so">
            {get("find") ? (
              "Write less of the name, or choose all kinds."
            ) : (
              <>
                The directory is empty: have one read under{" "}
                <Link to="/directory?show=sources">sources</Link>, or import files with{" "}
                <code>cirque directory import</code>.
              </>
            )}
          </Empty>
        </div>
      ) : (
        <>
          <p className="mt-3 text-ink-2" role="status">
            {count(found.data.total, "entry")}
            {found.data.total > found.data.items.length &&
              `; the first ${found.data.items.length} are shown, write more of the name to see others`}
            .
          </p>
          <table className="mt-1 w-full max-w-[70rem]" aria-label="Found in the directory">
            <thead>
              <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
                {["Name", "Kind", "Says", "Unit"].map((h) => (
                  <th key={h} scope="col" className="px-2 py-1 font-medium">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {found.data.items.map((f) => (
                <Row key={`${f.kind} ${f.name}`} of={f} onOpen={() => put({ [f.kind]: f.name })} />
              ))}
            </tbody>
          </table>
        </>
      )}
      {get("machine") && (
        <SubjectDrawer kind="machine" name={get("machine")} onClose={() => put({ machine: "" })} />
      )}
    </section>
  );
}

function Row({ of: f, onOpen }: { of: FoundOne; onOpen: () => void }) {
  return (
    <tr className="border-b border-rule hover:bg-wash">
      <th scope="row" className="px-2 py-1 text-left font-medium">
        {f.kind === "user" ? (
          <Link
            className="inline-flex min-h-[24px] items-center"
            to={`/people/${encodeURIComponent(f.name)}`}
          >
            {f.name}
          </Link>
        ) : f.kind === "machine" ? (
          <button
            type="button"
            className="min-h-[24px] text-left text-accent underline decoration-dotted underline-offset-2"
            onClick={onOpen}
          >
            {f.name}
          </button>
        ) : (
          <Link
            className="inline-flex min-h-[24px] items-center"
            to={`/grants?find=${encodeURIComponent(`${f.kind}:${f.name}`)}`}
          >
            {f.name}
          </Link>
        )}
      </th>
      <td className="px-2 py-1">{f.kind === "user" ? "person" : f.kind}</td>
      <td className="px-2 py-1">{f.says}</td>
      <td className="px-2 py-1">{f.detail}</td>
    </tr>
  );
}
