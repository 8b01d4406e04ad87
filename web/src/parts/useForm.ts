import { useMutation } from "@tanstack/react-query";
import { useState, type ChangeEvent } from "react";
import { ProblemError } from "../api/client";

type FormOf<T, R> = {
  start: T;
  /** Sends what was entered; what is wrong with it comes back as a problem. */
  send: (value: T) => Promise<R>;
  /** After it was taken in; the form is as at the start again, unless keeps is said. */
  onDone?: ((result: R) => unknown) | undefined;
  keeps?: boolean;
  /** Fields by the first words of the problems that are theirs, where those are not the field's own name. */
  ofProblems?: Record<string, keyof T & string>;
};

/**
 * What is being entered, on its way to the service. A problem that names one of the fields, by its place or by the first
 * word of its code, stands at that field; another stands for the whole form.
 */
export function useForm<T extends object, R>({
  start,
  send,
  onDone,
  keeps,
  ofProblems,
}: FormOf<T, R>) {
  const [value, setValue] = useState(start);
  const sent = useMutation({
    mutationFn: (v: T) => send(v),
    onSuccess: async (result) => {
      if (!keeps) setValue(start);
      await onDone?.(result);
    },
  });
  const change = (part: Partial<T>) => setValue((old) => ({ ...old, ...part }));
  const named = (word = ""): string => ofProblems?.[word] ?? word;
  const wrong = (key: string): string | undefined => {
    if (!(sent.error instanceof ProblemError)) return undefined;
    const p = sent.error.problem;
    const says = (what: string, fix?: string) => (fix ? `${what}; ${fix}` : what);
    const at = p.places?.find((x) => named(x.place) === key);
    if (at) return says(at.what, at.fix);
    if (p.places?.length) return undefined;
    return named(p.code?.split("-")[0]) === key ? says(sent.error.message, p.fix) : undefined;
  };
  const isField = (key: string) => key in value || key in start;
  const elsewhere =
    sent.error instanceof ProblemError &&
    ((sent.error.problem.places ?? []).length > 0
      ? sent.error.problem.places?.every((x) => isField(named(x.place)))
      : isField(named(sent.error.problem.code?.split("-")[0])));
  return {
    value,
    change,
    /** What an input of one text needs. */
    text: (key: keyof T & string) => {
      const v = value[key];
      return {
        value: typeof v === "string" ? v : "",
        error: wrong(key),
        onChange: (e: ChangeEvent<HTMLInputElement>) =>
          setValue((old) => ({ ...old, [key]: e.target.value })),
      };
    },
    submit: () => sent.mutate(value),
    busy: sent.isPending,
    /** What came of it the last time. */
    result: sent.data,
    /** What is wrong and stands at no field. */
    error: elsewhere ? null : sent.error,
    failed: sent.error !== null,
    again: (v: T) => sent.mutate(v),
  };
}
