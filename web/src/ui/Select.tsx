import { inputLook } from "./Field";

type SelectProps = {
  label: string;
  value: string;
  options: (string | { value: string; label: string })[];
  onChange: (v: string) => void;
  all?: string | undefined;
};

/** A labelled choice of one; its first entry is everything, unless all is "". */
export function Select({ label, value, options, onChange, all = "all" }: SelectProps) {
  return (
    <label className="flex flex-col gap-1">
      {label}
      <select className={inputLook} value={value} onChange={(e) => onChange(e.target.value)}>
        {all && <option value="">{all}</option>}
        {options.map((o) =>
          typeof o === "string" ? (
            <option key={o} value={o}>
              {o}
            </option>
          ) : (
            <option key={o.value} value={o.value}>
              {o.label}
            </option>
          ),
        )}
      </select>
    </label>
  );
}
