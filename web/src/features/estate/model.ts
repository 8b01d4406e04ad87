import type { components } from "../../api/schema";
import type { FoundOne } from "../../api/client";

export type Keyed = components["schemas"]["BulkKeyed"];
export type Key = components["schemas"]["BulkKey"];
export type Thing = Record<string, unknown>;
export type ListName = NonNullable<components["schemas"]["EstateEdit"]["list"]>;

/** An object of one's draft, as a row. */
export type Row = {
  name: string;
  title: string;
  place: string;
  says: string;
  note: string;
  state: string;
  object: Thing;
};

/** The lists, in the order in which an estate is built up, and where they have their own page. */
export const lists: { list: ListName; word: string; own?: string; says: string }[] = [
  { list: "locations", word: "Locations", says: "The tree of places; the first part is the site." },
  {
    list: "subnets",
    word: "Subnets",
    says: "Which addresses lie where; the longest prefix counts.",
  },
  { list: "stations", word: "Stations", says: "Machines that no directory knows." },
  {
    list: "servers",
    word: "Print servers",
    own: "/servers",
    says: "Servers through which queues lead.",
  },
  {
    list: "server_sets",
    word: "Server sets",
    own: "/continuity?show=sets",
    says: "Servers that stand in for each other.",
  },
  { list: "devices", word: "Devices", own: "/devices", says: "Printers, each at its address." },
  {
    list: "drivers",
    word: "Drivers",
    own: "/drivers",
    says: "Exact names of drivers, each for one platform.",
  },
  { list: "queues", word: "Queues", own: "/queues", says: "What people print to." },
  { list: "notices", word: "Notices", own: "/?show=notices", says: "Who is told of which faults." },
  {
    list: "promises",
    word: "Promises",
    says: "Contexts with what they must and must not receive; publishing is held against them.",
  },
  {
    list: "charges",
    word: "Charges",
    says: "What jobs can be charged to, and who may charge to it.",
  },
  {
    list: "allowances",
    word: "Allowances",
    says: "How many pages people may print, where and in which time.",
  },
  { list: "settings", word: "Settings", says: "What holds for the whole estate." },
];

const own: Record<string, string> = {
  uri: "Address (URI)",
  cidr: "Subnet",
  path: "Path",
  mac: "Hardware address",
  queue_root: "Root of its queues",
  exact: "Exact name",
  open: "Takes jobs",
  access: "Who may print",
  formerly: "Old names",
  at: "At",
  tell: "Tells",
  allow: "Only",
  deny: "Never",
  about: "About",
  cut: "Longest cut of the line",
  ca: "Authority (PEM)",
};

/** What a key is called for people. */
export function labelOf(key: string): string {
  const word = key.replaceAll("_", " ");
  return own[key] ?? word.charAt(0).toUpperCase() + word.slice(1);
}

type Kinds = FoundOne["kind"][];

/** What a key of one value names, to be found by typing. */
export function namesOf(list: string, key: string): Kinds | null {
  if (key === "location") return ["location"];
  if (list === "paths")
    return key === "set" ? ["server set"] : key === "server" ? ["server"] : ["device"];
  if (list === "promises")
    switch (key) {
      case "user":
        return ["user"];
      case "machine":
      case "host":
        return ["machine", "station"];
      case "default":
        return ["queue"];
    }
  return null;
}

const people: Kinds = ["user", "group", "unit", "machine", "station", "location"];
const prefixed = (f: FoundOne) => `${f.kind === "station" ? "machine" : f.kind}:${f.name}`;

/** How entries of a list are found and written. */
export function entriesOf(
  list: string,
  key: string,
): { kinds: Kinds; entry: (f: FoundOne) => string; place?: boolean; any?: boolean } {
  const plain = (f: FoundOne) => f.name;
  switch (`${list}.${key}`) {
    case "queues.devices":
      return { kinds: ["device"], entry: plain };
    case "server_sets.members":
      return { kinds: ["server"], entry: plain };
    case "promises.receives":
    case "promises.never":
      return { kinds: ["queue"], entry: plain };
    case "allowances.queues":
      return { kinds: ["queue"], entry: plain, any: true };
    case "queues.release_at":
      return { kinds: ["device"], entry: plain, any: true };
    case "allowances.to":
    case "charges.to":
      return { kinds: ["user", "group", "unit"], entry: prefixed, any: true };
    case "queues.allow":
    case "queues.deny":
      return { kinds: people, entry: prefixed, place: true };
    case "notices.at":
    case "paths.at":
      return { kinds: ["location"], entry: prefixed, place: true };
    case "notices.tell":
      return { kinds: ["user", "group"], entry: prefixed, any: true };
  }
  return { kinds: [], entry: plain, any: true };
}

export const sessions = ["desktop", "remote", "virtual", "mobile", "browser"];

const text = (v: unknown) => (typeof v === "string" ? v : "");

/** What a row says of its object besides name and title. */
function saysOf(list: string, o: Thing): string {
  const join = (v: unknown) => (Array.isArray(v) ? v.map(String).join(", ") : "");
  switch (list) {
    case "stations":
      return [join(o.addresses), text(o.platform)].filter(Boolean).join("; ");
    case "servers":
    case "devices":
      return text(o.uri);
    case "server_sets":
      return `${text(o.style)}: ${join(o.members)}`;
    case "drivers":
      return [text(o.exact), text(o.platform)].filter(Boolean).join(", ");
    case "queues":
      return join(o.devices) || "no device of its own";
    case "notices":
      return join(o.tell);
    case "promises":
      return promised(o, join);
    case "charges":
      return join(o.to) || "everybody may charge to it";
    case "allowances":
      return `${String(o.pages)} pages each ${text(o.every)} for ${join(o.to) || "everybody"} on ${join(o.queues)}; over it: ${text(o.over)}`;
    case "locations":
      return [text(o.timezone), text(o.cut) && `line may be cut for ${text(o.cut)}`]
        .filter(Boolean)
        .join("; ");
    case "settings":
      return Object.entries(o)
        .map(
          ([k, v]) =>
            `${k.replaceAll("_", " ")} ${typeof v === "object" ? JSON.stringify(v) : String(v)}`,
        )
        .join(", ");
  }
  return "";
}

/** Who receives what, and what not. */
function promised(o: Thing, join: (v: unknown) => string): string {
  const c = (o.context ?? {}) as Thing;
  const who = [c.user, c.machine, c.location].map(text).filter(Boolean).join(", ");
  const parts = [
    join(o.receives) && `receives ${join(o.receives)}`,
    join(o.never) && `never ${join(o.never)}`,
    text(o.default) && `default ${text(o.default)}`,
  ].filter(Boolean);
  return `${who || join(c.addresses)}: ${parts.join("; ")}`;
}

export function rowOf(list: string, name: string, o: Thing, state: string): Row {
  return {
    name,
    title: text(o.title),
    place: text(o.location),
    says: saysOf(list, o),
    note: text(o.note),
    state,
    object: o,
  };
}

/** An object without keys that say nothing. */
export function tidied(o: Thing): Thing {
  const empty = (v: unknown): boolean =>
    v === "" ||
    v === false ||
    v === undefined ||
    v === null ||
    (Array.isArray(v) && v.length === 0) ||
    (typeof v === "object" && v !== null && !Array.isArray(v) && Object.values(v).every(empty));
  return Object.fromEntries(
    Object.entries(o)
      .filter(([, v]) => !empty(v))
      .map(([k, v]) => [k, typeof v === "object" && !Array.isArray(v) ? tidied(v as Thing) : v]),
  );
}

/** A queue that leads straight to a device, as one would begin it. */
export function queueFor(device: Thing): Thing {
  return {
    name: text(device.name),
    title: text(device.title),
    location: text(device.location),
    devices: [text(device.name)],
    paths: [{ device: text(device.name) }],
  };
}
