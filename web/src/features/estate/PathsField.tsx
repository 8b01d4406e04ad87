import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Picker } from "../../ui/Picker";
import { One, Words } from "./Words";
import { sessions, type Thing } from "./model";

const ways = [
  { value: "device", label: "straight to the device" },
  { value: "server", label: "through the server" },
  { value: "set", label: "through the server set" },
  { value: "gateway", label: "through the gateway" },
];

/** Which way a path is, also while what it leads through is not chosen yet. */
const wayOf = (p: Thing) =>
  ["gateway", "set", "server"].find((w) => w in p && p[w] !== false) ?? "device";
const text = (v: unknown) => (typeof v === "string" ? v : "");
const entries = (v: unknown) => (Array.isArray(v) ? v.map(String) : []);

type PathsFieldProps = { value: Thing[]; onChange: (v: Thing[]) => void };

/** The ways to a queue, in the order in which they are tried. */
export function PathsField({ value, onChange }: PathsFieldProps) {
  const put = (i: number, p: Thing) => onChange(value.map((old, k) => (k === i ? p : old)));
  const move = (i: number, by: number) => {
    const next = [...value];
    const [one] = next.splice(i, 1);
    if (one) next.splice(i + by, 0, one);
    onChange(next);
  };
  return (
    <div>
      <ol className="flex list-decimal flex-col gap-2 pl-5">
        {value.map((p, i) => (
          <li key={i} className="leading-[1.9]">
            <Path value={p} onChange={(next) => put(i, next)} />
            <span className="ml-3 inline-flex gap-2 align-middle">
              <Button
                disabled={i === 0}
                aria-label={`Path ${i + 1} earlier`}
                onClick={() => move(i, -1)}
              >
                Earlier
              </Button>
              <Button
                disabled={i === value.length - 1}
                aria-label={`Path ${i + 1} later`}
                onClick={() => move(i, 1)}
              >
                Later
              </Button>
              <Button
                aria-label={`Take out path ${i + 1}`}
                onClick={() => onChange(value.filter((_, k) => k !== i))}
              >
                Take out
              </Button>
            </span>
          </li>
        ))}
      </ol>
      {value.length === 0 && <p className="text-ink-2">None: it is left out of every lineup.</p>}
      <p className="mt-1">
        <Button onClick={() => onChange([...value, { device: "" }])}>Add a path</Button>
      </p>
    </div>
  );
}

function Path({ value: p, onChange }: { value: Thing; onChange: (p: Thing) => void }) {
  const way = wayOf(p);
  const { at, sessions: of } = p;
  const keep = { ...(at ? { at } : {}), ...(of ? { sessions: of } : {}) };
  return (
    <>
      <Picker
        label="way"
        word={ways.find((w) => w.value === way)?.label ?? ""}
        options={ways}
        onPick={(w) => onChange({ ...keep, [w]: w === "gateway" ? true : "" })}
      />{" "}
      {way !== "gateway" && (
        <One
          list="paths"
          name={way}
          value={text(p[way])}
          onChange={(v) => onChange({ ...p, [way]: v })}
        />
      )}
      {(way === "server" || way === "set") && (
        <>
          {" as "}
          <input
            aria-label="Its name there"
            placeholder="the same name"
            className={`${inputLook} w-40`}
            value={text(p.remote_name)}
            onChange={(e) => onChange({ ...p, remote_name: e.target.value })}
          />
        </>
      )}
      {", at "}
      <Words
        list="paths"
        of={{ name: "at", shape: "words" }}
        none="any place"
        values={entries(at)}
        onChange={(v) => onChange({ ...p, at: v })}
      />
      {", in "}
      <Words
        list="paths"
        of={{ name: "sessions", shape: "words", among: sessions }}
        none="any session"
        values={entries(of)}
        onChange={(v) => onChange({ ...p, sessions: v })}
      />
    </>
  );
}
