import type { ReactNode } from "react";
import { ProblemNotice } from "./ProblemNotice";

type FormProps = {
  /** What it is for; read out where no heading says it. */
  label: string;
  /** What did not happen where it fails, such as "The key was not stored". */
  failed: string;
  form: { submit: () => void; error: () => Error | null };
  className?: string;
  children: ReactNode;
  /** Below what is wrong: the button, and what else ends the form. */
  foot: ReactNode;
};

/** A form on useForm's model: sent by its button or by Enter, with what is wrong above its foot. */
export function Form({ label, failed, form, className = "gap-3", children, foot }: FormProps) {
  const error = form.error();
  return (
    <form
      aria-label={label}
      className={`flex flex-col ${className}`}
      onSubmit={(e) => {
        e.preventDefault();
        form.submit();
      }}
    >
      {children}
      {error && <ProblemNotice title={failed} error={error} />}
      {foot}
    </form>
  );
}
