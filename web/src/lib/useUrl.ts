import { useLocation, useSearchParams } from "react-router";

/** What stands in the address bar: reads a key, and writes one without a step in the history. */
export function useUrl(): {
  get: (key: string) => string;
  set: (key: string, value: string) => void;
  put: (values: Record<string, string>) => void;
} {
  const [params, setParams] = useSearchParams();
  const { pathname } = useLocation();
  // Several keys in one step: a second step at once would not know of the first.
  const put = (values: Record<string, string>) => {
    // Who has followed a link while the next page is still on its way is not to be led back here.
    if (window.location.pathname !== pathname) return;
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        for (const [key, value] of Object.entries(values)) {
          if (value) next.set(key, value);
          else next.delete(key);
        }
        return next;
      },
      { replace: true },
    );
  };
  return { get: (key) => params.get(key) ?? "", set: (key, value) => put({ [key]: value }), put };
}
