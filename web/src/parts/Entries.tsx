import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { FoundOne } from "../api/client";
import { findQuery } from "../api/drafts";
import { Picker, type Option } from "../ui/Picker";

type EntriesProps = {
  /** What one is, such as "person, group or unit". */
  label: string;
  kinds: FoundOne["kind"][];
  /** How a find is written, such as group:N. */
  entry: (found: FoundOne) => string;
  fixed?: Option[] | undefined;
  /** Takes typed text as an entry of its own. */
  free?: ((text: string) => string | null) | undefined;
  values: string[] | undefined;
  /** What it means that there are none. */
  none: string;
  /** What stands between them: any of them suffices, or they add up. */
  join?: "or" | "and" | undefined;
  onChange: (values: string[]) => void;
};

/** Some entries of a condition, as words of a sentence: each can be taken out, and more be found among very many. */
export function Entries({
  label,
  kinds,
  entry,
  fixed = [],
  free,
  values = [],
  none,
  join = "or",
  onChange,
}: EntriesProps) {
  const [word, setWord] = useState("");
  const found = useQuery({ ...findQuery(kinds, word), enabled: kinds.length > 0 });
  const options: Option[] = [
    ...fixed,
    ...(found.data?.items ?? []).map((f) => ({
      value: entry(f),
      label: f.says ? `${f.name} (${f.says})` : f.name,
      detail: [f.kind, f.detail].filter(Boolean).join(", "),
    })),
  ].filter((o) => !values.includes(o.value));
  return (
    <>
      {values.map((v, i) => (
        <span key={v}>
          {i > 0 && ` ${join} `}
          <span className="border-b border-rule-strong font-medium whitespace-nowrap">{v}</span>
          <button
            type="button"
            aria-label={`Take ${v} out`}
            className="inline-flex size-[24px] items-center justify-center rounded-[3px] text-ink-3 hover:bg-wash hover:text-ink"
            onClick={() => onChange(values.filter((x) => x !== v))}
          >
            ×
          </button>
        </span>
      ))}
      {values.length > 0 && " "}
      <Picker
        label={label}
        word={values.length > 0 ? `${join}…` : none}
        options={options}
        onSearch={setWord}
        free={free ? (t) => (free(t) ? `Add ${free(t)}` : null) : undefined}
        more={Math.max(0, (found.data?.total ?? 0) - (found.data?.items.length ?? 0))}
        onPick={(v) =>
          onChange([
            ...values,
            fixed.some((o) => o.value === v) || options.some((o) => o.value === v)
              ? v
              : (free?.(v) ?? v),
          ])
        }
      />
    </>
  );
}
