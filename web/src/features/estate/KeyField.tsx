import { useId, type ReactNode } from "react";
import { Field } from "../../ui/Field";
import { Select } from "../../ui/Select";
import { labelOf, namesOf, type Key, type Thing } from "./model";
import { One, Words } from "./Words";
import { PairsField } from "./PairsField";
import { PathsField } from "./PathsField";
import { WeekField } from "./WeekField";
import type { Window } from "../../lib/hours";

type KeyFieldProps = {
  list: string;
  of: Key;
  value: unknown;
  error?: string | undefined;
  onChange: (v: unknown) => void;
};

const asText = (v: unknown) => (typeof v === "string" ? v : typeof v === "number" ? String(v) : "");
const asList = (v: unknown): string[] => (Array.isArray(v) ? v.map(String) : []);
const asThing = (v: unknown): Thing =>
  typeof v === "object" && v !== null && !Array.isArray(v) ? (v as Thing) : {};

/** One key of an object, written in the way of its shape. */
export function KeyField({ list, of: k, value, error, onChange }: KeyFieldProps) {
  const label = labelOf(k.name);
  switch (k.shape) {
    case "flag":
      return (
        <label className="flex min-h-[24px] items-center gap-2">
          <input
            type="checkbox"
            checked={value === true}
            onChange={(e) => onChange(e.target.checked)}
          />
          {label}
          {k.doc && <span className="text-ink-3">{k.doc}</span>}
        </label>
      );
    case "words":
      return (
        <Named label={label} hint={k.doc} error={error}>
          <Words list={list} of={k} values={asList(value)} onChange={onChange} />
        </Named>
      );
    case "windows":
      return (
        <Named label={label} hint={k.doc} error={error}>
          <WeekField value={(value as Window[] | undefined) ?? []} onChange={onChange} />
        </Named>
      );
    case "paths":
      return (
        <Named label={label} hint={k.doc} error={error}>
          <PathsField value={(Array.isArray(value) ? value : []) as Thing[]} onChange={onChange} />
        </Named>
      );
    case "pairs":
      return (
        <Named label={label} hint={k.doc} error={error}>
          <PairsField name={k.name} value={asThing(value)} onChange={onChange} />
        </Named>
      );
    case "group":
      if (k.keys?.some((inner) => inner.shape !== "words"))
        return (
          <fieldset className="flex flex-col gap-3 border-l border-rule-strong pl-3">
            <legend className="font-medium">{label}</legend>
            <Says hint={k.doc} error={error} />
            {k.keys.map((inner) => (
              <KeyField
                key={inner.name}
                list={list}
                of={inner}
                value={asThing(value)[inner.name]}
                onChange={(v) => onChange({ ...asThing(value), [inner.name]: v })}
              />
            ))}
          </fieldset>
        );
      return (
        <Named label={label} hint={k.doc} error={error}>
          {(k.keys ?? []).map((inner) => (
            <div key={inner.name} className="flex gap-2">
              <span className="w-16 shrink-0 text-ink-2">{labelOf(inner.name)}</span>
              <span>
                <Words
                  list={list}
                  of={inner}
                  values={asList(asThing(value)[inner.name])}
                  {...(inner.name === "allow" && { none: "everybody who receives it" })}
                  {...(inner.name === "deny" && { none: "nobody" })}
                  onChange={(v) => onChange({ ...asThing(value), [inner.name]: v })}
                />
              </span>
            </div>
          ))}
        </Named>
      );
    case "number":
      return (
        <Field
          label={label}
          hint={k.doc}
          error={error}
          inputMode="numeric"
          className="max-w-80"
          value={asText(value)}
          onChange={(e) =>
            onChange(/^\d+$/.test(e.target.value) ? Number(e.target.value) : e.target.value)
          }
        />
      );
    case "text":
      if (k.among)
        return (
          <div>
            <Select
              label={label}
              value={asText(value)}
              options={[{ value: "", label: "not said" }, ...k.among]}
              all=""
              onChange={onChange}
            />
            <Says hint={k.doc} error={error} />
          </div>
        );
      return namesOf(list, k.name) ? (
        <Named label={label} hint={k.doc} error={error}>
          <One list={list} name={k.name} value={asText(value)} onChange={onChange} />
        </Named>
      ) : (
        <Field
          label={label}
          hint={k.doc}
          error={error}
          value={asText(value)}
          onChange={(e) => onChange(e.target.value)}
        />
      );
  }
}

function Says({ hint, error }: { hint?: string | undefined; error?: string | undefined }) {
  return (
    <>
      {hint && <p className="text-ink-3">{hint}</p>}
      {error && (
        <p role="alert" className="text-bad">
          {error}
        </p>
      )}
    </>
  );
}

type NamedProps = {
  label: string;
  hint?: string | undefined;
  error?: string | undefined;
  children: ReactNode;
};

/** A field that is more than one input, under one label. */
function Named({ label, hint, error, children }: NamedProps) {
  const id = useId();
  return (
    <div role="group" aria-labelledby={id} className="flex flex-col gap-1">
      <span id={id} className="font-medium">
        {label}
      </span>
      <div>{children}</div>
      <Says hint={hint} error={error} />
    </div>
  );
}
