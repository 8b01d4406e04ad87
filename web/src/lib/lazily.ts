import { lazy, type ComponentType } from "react";

/** A component out of a file that comes when it is shown for the first time. */
export function lazily<M, P extends object>(
  load: () => Promise<M>,
  pick: (file: M) => ComponentType<P>,
) {
  return lazy(async () => ({ default: pick(await load()) }));
}
