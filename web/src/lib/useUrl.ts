import { useSearchParams } from "react-router";

/** What stands in the address bar: reads a key, and writes one without a step in the history. */
export function useUrl(): { get: (key: string) => string; set: (key: string, value: string) => void } {
  const [params, setParams] = useSearchParams();
  return {
    get: (key) => params.get(key) ?? "",
    set: (key, value) =>
      setParams(
        (old) => {
          const next = new URLSearchParams(old);
          if (value) next.set(key, value);
          else next.delete(key);
          return next;
        },
        { replace: true },
      ),
  };
}
