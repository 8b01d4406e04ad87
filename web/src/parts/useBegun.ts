import { useEffect, useState } from "react";

/**
 * What somebody has begun to enter and not kept yet: it is there again when the drawer is opened anew, also after a
 * reload, until it is kept or let go of.
 */
export function useBegun<T>(key: string, start: T) {
  const place = `cirque-begun ${key}`;
  const [value, setValue] = useState<T>(() => {
    try {
      const kept = sessionStorage.getItem(place);
      return kept ? (JSON.parse(kept) as T) : start;
    } catch {
      return start;
    }
  });
  const [again, setAgain] = useState(() => JSON.stringify(value) !== JSON.stringify(start));
  const changed = JSON.stringify(value) !== JSON.stringify(start);
  useEffect(() => {
    try {
      if (changed) sessionStorage.setItem(place, JSON.stringify(value));
      else sessionStorage.removeItem(place);
    } catch {
      // Where nothing can be kept, closing loses it.
    }
  }, [place, changed, value]);
  const forget = () => {
    try {
      sessionStorage.removeItem(place);
    } catch {
      // It was not kept either.
    }
    setAgain(false);
    setValue(start);
  };
  return { value, setValue, changed, again, forget };
}
