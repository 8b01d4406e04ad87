/** A page of the console as the navigation offers it: its address and word, and the right without which it is left out. */
export type Page = { to: string; word: string; needs?: string };

/** The pages by what one comes for. Each group leads to its first page. */
export const groups: { word: string; pages: Page[] }[] = [
  { word: "Overview", pages: [{ to: "/", word: "Overview" }] },
  {
    word: "Who gets what",
    pages: [
      { to: "/lineup", word: "Lineup" },
      { to: "/grants", word: "Grants" },
      { to: "/directory", word: "Directory" },
    ],
  },
  {
    word: "Printing",
    pages: [
      { to: "/queues", word: "Queues" },
      { to: "/servers", word: "Servers" },
      { to: "/continuity", word: "Continuity" },
      { to: "/devices", word: "Devices" },
      { to: "/drivers", word: "Drivers" },
      { to: "/site", word: "Sites" },
      { to: "/adopt", word: "Adopt", needs: "edit a draft" },
    ],
  },
  { word: "Endpoints", pages: [{ to: "/endpoints", word: "Endpoints" }] },
  {
    word: "Changes",
    pages: [
      { to: "/draft", word: "Draft", needs: "edit a draft" },
      { to: "/estate", word: "Estate" },
      { to: "/history", word: "History" },
    ],
  },
  {
    word: "Settings",
    pages: [
      { to: "/access", word: "Access" },
      { to: "/keys", word: "Keys" },
    ],
  },
];

/** The pages that somebody with such rights is offered; groups of which nothing is left are left out. */
export function offered(may: readonly string[]): typeof groups {
  return groups
    .map((g) => ({ ...g, pages: g.pages.filter((p) => !p.needs || may.includes(p.needs)) }))
    .filter((g) => g.pages.length > 0);
}

/** The group in which an address lies; pages about one person belong to who gets what. */
export function groupOf(path: string, among: typeof groups): (typeof groups)[number] | undefined {
  const top = path === "/" ? "/" : `/${path.split("/")[1]}`;
  return among.find((g) => g.pages.some((p) => p.to === (top === "/people" ? "/directory" : top)));
}

/** Where a page is now that the version before had elsewhere; null where it is still there. */
export function moved(path: string, search: string): string | null {
  const query = new URLSearchParams(search);
  const show = query.get("show");
  if (path !== "/servers" || !show) return null;
  query.delete("show");
  switch (show) {
    case "keys":
      return "/keys";
    case "captures":
      return "/adopt";
    case "sets":
      query.set("show", "sets");
      break;
    case "duty":
      break;
    case "failover-tests":
    case "exercises":
      query.set("show", "failover-tests");
      break;
    default:
      return null;
  }
  const rest = query.toString();
  return `/continuity${rest ? `?${rest}` : ""}`;
}
