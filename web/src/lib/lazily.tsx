import { useEffect, useState, type ComponentType, type ReactNode } from "react";

/**
 * A component out of a file that comes when it is shown for the first time. It is shown as soon as it is there: React's
 * own way shows what waits for 300 ms at least. A file that does not come is thrown, to whoever catches errors.
 */
export function lazily<M extends object, P extends object>(
  load: () => Promise<M>,
  pick: (file: M) => ComponentType<P>,
  meanwhile: ReactNode = null,
) {
  let file: M | undefined;
  let coming: Promise<M> | undefined;
  return function Late(props: P) {
    const [come, setCome] = useState(() => file);
    const [failed, setFailed] = useState<{ error: unknown }>();
    useEffect(() => {
      if (come) return;
      let here = true;
      coming ??= load();
      coming.then(
        (m) => {
          file = m;
          if (here) setCome(() => m);
        },
        (error: unknown) => {
          coming = undefined; // the next one tries again
          if (here) setFailed({ error });
        },
      );
      return () => {
        here = false;
      };
    }, [come]);
    if (failed) throw failed.error;
    if (!come) return meanwhile;
    const Come = pick(come);
    return <Come {...props} />;
  };
}
