import { useMutation } from "@tanstack/react-query";
import { useState, type ChangeEvent } from "react";
import { fieldsOf } from "./fieldsOf";

/** One field of a form's value; the type of what is written into it is its input's. */
function just<T extends object>(key: keyof T & string, v: string | boolean): Partial<T> {
  const out: Partial<Record<string, unknown>> = { [key]: v };
  return out as Partial<T>;
}

type FormOf<T, R> = {
  start: T;
  /** Sends what was entered; what is wrong with it comes back as a problem. */
  send: (value: T) => Promise<R>;
  /** After it was taken in; the form is as at the start again, unless keeps is said. */
  onDone?: ((result: R) => unknown) | undefined;
  keeps?: boolean;
  /** Fields by what problems call them, where that is not the field's own name. */
  ofProblems?: Record<string, keyof T & string>;
};

/**
 * What is being entered, on its way to the service. A problem that names a field stands at that field; one that names
 * no field, or one at which nothing can be shown, stands for the whole form.
 */
export function useForm<T extends object, R>({
  start,
  send,
  onDone,
  keeps,
  ofProblems,
}: FormOf<T, R>) {
  const [value, setValue] = useState(start);
  /** Whatever is changed, what came of the last time is of something else. */
  const change = (part: Partial<T>) => {
    setValue((old) => ({ ...old, ...part }));
    forget();
  };
  const forget = () => {
    if (!sent.isIdle && !sent.isPending) sent.reset();
  };
  const sent = useMutation({
    mutationFn: (v: T) => send(v),
    onSuccess: async (result) => {
      if (!keeps) setValue(start);
      await onDone?.(result);
    },
  });
  const wrong = fieldsOf(sent.error, ofProblems);
  const shown = new Set<string>(); // the fields that are drawn with what is wrong with them
  return {
    value,
    change,
    /** Lets go of what came of the last time. */
    forget,
    /** What an input of one text needs. */
    text: (key: keyof T & string) => {
      shown.add(key);
      const v = value[key];
      return {
        value: typeof v === "string" ? v : "",
        error: wrong[key],
        onChange: (e: ChangeEvent<HTMLInputElement>) => change(just<T>(key, e.target.value)),
      };
    },
    /** What a checkbox needs. */
    check: (key: keyof T & string) => ({
      checked: value[key] === true,
      onChange: (e: ChangeEvent<HTMLInputElement>) => change(just<T>(key, e.target.checked)),
    }),
    submit: () => sent.mutate(value),
    busy: sent.isPending,
    /** What came of it the last time. */
    result: sent.data,
    /** What is wrong, unless all of it stands at fields; to be asked once the fields are drawn. */
    error: () => {
      const named = Object.keys(wrong);
      return named.length > 0 && named.every((key) => shown.has(key)) ? null : sent.error;
    },
    failed: sent.error !== null,
    again: (v: T) => sent.mutate(v),
  };
}
