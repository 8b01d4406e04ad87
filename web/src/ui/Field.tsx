import { useId, type ComponentProps } from "react";

type FieldProps = ComponentProps<"input"> & {
  label: string;
  hint?: string | undefined;
  error?: string | undefined;
};

/** A labelled input; its hint and error are joined to it. */
export function Field({ label, hint, error, className = "", ...rest }: FieldProps) {
  const id = useId();
  const said = [hint && `${id}-hint`, error && `${id}-error`].filter(Boolean).join(" ");
  return (
    <div className={`flex flex-col gap-1 ${className}`}>
      <label htmlFor={id} className="font-medium">
        {label}
      </label>
      <input
        id={id}
        className={inputLook}
        aria-invalid={error ? true : undefined}
        aria-describedby={said || undefined}
        {...rest}
      />
      {hint && (
        <p id={`${id}-hint`} className="text-ink-3">
          {hint}
        </p>
      )}
      {error && (
        <p id={`${id}-error`} role="alert" className="text-bad">
          {error}
        </p>
      )}
    </div>
  );
}

export const fileLook =
  "h-8 text-ink-2 file:mr-2 file:h-8 file:cursor-pointer file:rounded-[3px] file:border file:border-solid file:border-rule-strong file:bg-sheet file:px-3 file:font-medium file:text-ink";
export const inputLook =
  "h-8 rounded-[3px] border border-rule-strong bg-sheet px-2 py-1 text-ink placeholder:text-ink-3";
