import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { findQuery } from "../../api/drafts";
import { place } from "../../lib/place";
import { Entries } from "../../parts/Entries";
import { Picker } from "../../ui/Picker";
import { entriesOf, labelOf, namesOf, type Key } from "./model";

type WordsProps = {
  list: string;
  of: Key;
  values: string[];
  /** What it means that there are none. */
  none?: string;
  onChange: (v: string[]) => void;
};

/** Entries, found by typing or written out. */
export function Words({ list, of: k, values, none = "none", onChange }: WordsProps) {
  const { kinds, entry, place: places, any } = entriesOf(list, k.name);
  return (
    <Entries
      label={labelOf(k.name).toLowerCase()}
      kinds={kinds}
      entry={entry}
      fixed={k.among?.map((v) => ({ value: v, label: v }))}
      free={k.among ? undefined : (t) => (places ? place(t) : any ? t : null)}
      values={values}
      join={list === "queues" && (k.name === "allow" || k.name === "deny") ? "or" : "and"}
      none={none}
      onChange={onChange}
    />
  );
}

type OneProps = { list: string; name: string; value: string; onChange: (v: string) => void };

/** The name of one other object, found by typing. */
export function One({ list, name, value, onChange }: OneProps) {
  const [word, setWord] = useState("");
  const kinds = namesOf(list, name) ?? [];
  const found = useQuery({ ...findQuery(kinds, word), enabled: kinds.length > 0 });
  return (
    <>
      <Picker
        label={labelOf(name).toLowerCase()}
        word={value || "not said"}
        options={(found.data?.items ?? []).map((f) => ({
          value: f.name,
          label: f.says ? `${f.name} (${f.says})` : f.name,
          detail: f.detail,
        }))}
        onSearch={setWord}
        free={(t) => `Write ${t}`}
        more={Math.max(0, (found.data?.total ?? 0) - (found.data?.items.length ?? 0))}
        onPick={onChange}
      />
      {value && (
        <button
          type="button"
          aria-label={`Take ${value} out`}
          className="inline-flex size-[24px] items-center justify-center rounded-[3px] text-ink-3 hover:bg-wash hover:text-ink"
          onClick={() => onChange("")}
        >
          ×
        </button>
      )}
    </>
  );
}
