type View = { name: string; search: string };

const isView = (v: unknown): v is View =>
  typeof v === "object" &&
  v !== null &&
  "name" in v &&
  "search" in v &&
  typeof v.name === "string" &&
  typeof v.search === "string";

/** The views of a page that the version before kept in this browser. */
export function former(page: string): View[] {
  try {
    const list: unknown = JSON.parse(localStorage.getItem(`views ${page}`) ?? "[]");
    return Array.isArray(list) ? list.filter(isView) : [];
  } catch {
    return []; // nothing was kept, or nothing can be
  }
}

/** Throws them away: they are kept elsewhere. */
export function forgetFormer(page: string): void {
  try {
    localStorage.removeItem(`views ${page}`);
  } catch {
    /* a browser that keeps nothing has nothing to throw away */
  }
}
