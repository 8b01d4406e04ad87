import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { FoundOne, Lineup } from "../../api/client";
import type { Context } from "../../lib/context";
import { Picker, type Option } from "../../ui/Picker";
import { searchQuery } from "../../parts/lineups";

const sessions = ["desktop", "remote", "virtual", "mobile", "browser"];
const platforms = ["windows", "macos", "linux", "chromeos", "ios", "android"].flatMap((os) =>
  ["x64", "x86", "arm64"].map((arch) => `${os}/${arch}`),
);
const plain = (words: string[]): Option[] => words.map((w) => ({ value: w, label: w }));

type SentenceProps = {
  context: Context;
  answer: Lineup | undefined;
  onChange: (change: Partial<Context>) => void;
};

/** The context as a sentence whose words can be changed in place. */
export function Sentence({ context: c, answer, onChange }: SentenceProps) {
  const remote = c.session === "remote" || c.session === "virtual";
  const known = answer?.context;
  return (
    <p className="text-[1.25rem] leading-[2.1]" data-sentence>
      <Found
        label="person"
        kinds={["user"]}
        none="Nobody signed in"
        value={c.user}
        shown={useTitle("user", c.user) || "Nobody signed in"}
        onPick={(user) => onChange({ user })}
      />
      {" at "}
      <Found
        label="location"
        kinds={["location"]}
        none="wherever the machine and address tell"
        value={c.location}
        shown={useTitle("location", c.location || known?.location || "") || "an unknown location"}
        onPick={(location) => onChange({ location })}
      />
      {" on "}
      <Found
        label="machine"
        kinds={["machine", "station"]}
        none="no machine"
        value={c.machine}
        shown={c.machine || (known?.machine ?? "no machine")}
        onPick={(machine) => onChange({ machine })}
      />
      {" in a "}
      <Picker
        label="kind of session"
        word={c.session}
        options={plain(sessions)}
        onPick={(session) =>
          onChange({ session, ...(session !== "remote" && session !== "virtual" && { host: "" }) })
        }
      />
      {" session"}
      {remote && (
        <>
          {" on the host "}
          <Found
            label="session host"
            kinds={["machine"]}
            none="not known"
            value={c.host}
            shown={c.host || "not known"}
            onPick={(host) => onChange({ host })}
          />
        </>
      )}
      {", from "}
      <Picker
        label="address"
        word={c.address || "no address"}
        options={c.address ? [{ value: "", label: "no address" }] : []}
        free={(t) => `Use ${t}`}
        hint="Type an address, such as 10.40.8.77"
        onPick={(address) => onChange({ address })}
      />
      {", on "}
      <Picker
        label="platform"
        word={c.platform || "no known platform"}
        options={[{ value: "", label: "no known platform" }, ...plain(platforms)]}
        onPick={(platform) => onChange({ platform })}
      />
      {", "}
      <Picker
        label="time"
        word={c.time || "now"}
        options={[{ value: "", label: "now" }]}
        free={(t) => `At ${t}`}
        hint="Now, or such as 2026-11-23T10:00:00+01:00"
        onPick={(time) => onChange({ time })}
      />
      {", by "}
      <Picker
        label="estate"
        word={
          c.estate === "draft"
            ? "your draft"
            : !c.estate
              ? "the current estate"
              : /^\d{4}-/.test(c.estate)
                ? `everything as of ${c.estate}`
                : `revision ${c.estate}`
        }
        options={[
          { value: "", label: "the current estate" },
          {
            value: "draft",
            label: "your draft",
            detail: "As it would be if it were published now.",
          },
        ]}
        free={(t) =>
          /^\d+$/.test(t) ? `Revision ${t}` : /^\d{4}-/.test(t) ? `Everything as of ${t}` : null
        }
        hint="A revision's number, or a moment such as 2026-11-20T10:00:00+01:00"
        onPick={(estate) => onChange({ estate })}
      />
      .
    </p>
  );
}

/** What people call a thing: a person's full name, a location's title; else its name. */
function useTitle(kind: FoundOne["kind"], name: string): string {
  const found = useQuery({ ...searchQuery([kind], name), enabled: name !== "" });
  return (
    (name && found.data?.items.find((f) => f.name.toLowerCase() === name.toLowerCase())?.says) ||
    name
  );
}

type FoundProps = {
  label: string;
  kinds: FoundOne["kind"][];
  none: string;
  value: string;
  shown: string;
  onPick: (value: string) => void;
};

/** A word that is found in the directory or the estate; what they do not know can be typed. */
function Found({ label, kinds, none, value, shown, onPick }: FoundProps) {
  const [text, setText] = useState("");
  const found = useQuery(searchQuery(kinds, text));
  const options: Option[] = (found.data?.items ?? []).map((f) => ({
    value: f.name,
    label: f.says && f.kind !== "machine" ? `${f.says} (${f.name})` : f.name,
    detail: f.detail || (f.kind === "machine" ? f.says : undefined),
  }));
  const free = kinds.includes("location")
    ? undefined
    : (t: string) => `${t}, unknown to the directory`;
  return (
    <Picker
      label={label}
      word={shown}
      options={value && !text ? [{ value: "", label: none }, ...options] : options}
      onSearch={setText}
      free={free}
      more={(found.data?.total ?? 0) - options.length}
      onPick={onPick}
    />
  );
}
