import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { findQuery } from "../../api/drafts";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Picker } from "../../ui/Picker";
import type { Thing } from "./model";

type PairsFieldProps = { name: string; value: Thing; onChange: (v: Thing) => void };

/** Keys with a value each: drivers by platform, options by their names. */
export function PairsField({ name, value, onChange }: PairsFieldProps) {
  const [fresh, setFresh] = useState("");
  const drivers = name === "drivers";
  const add = () => {
    const key = fresh.trim();
    if (key && !(key in value)) onChange({ ...value, [key]: drivers ? "driverless" : "" });
    setFresh("");
  };
  return (
    <div className="flex flex-col gap-1">
      {Object.entries(value)
        .sort(([a], [b]) => a.localeCompare(b))
        .map(([k, v]) => (
          <div key={k} className="flex items-center gap-2">
            <span className="w-52 font-mono text-[0.93em]">{k}</span>
            {drivers ? (
              <DriverPicker value={String(v)} onPick={(to) => onChange({ ...value, [k]: to })} />
            ) : (
              <input
                aria-label={`Value of ${k}`}
                className={`${inputLook} w-56`}
                value={String(v)}
                onChange={(e) => onChange({ ...value, [k]: read(e.target.value) })}
              />
            )}
            <Button
              aria-label={`Take out ${k}`}
              onClick={() => {
                const { [k]: _, ...rest } = value;
                onChange(rest);
              }}
            >
              Take out
            </Button>
          </div>
        ))}
      <div className="flex items-center gap-2">
        <input
          aria-label={drivers ? "Platform to add" : "Option to add"}
          placeholder={drivers ? "windows/x64, or *" : "such as sides"}
          className={`${inputLook} w-52`}
          value={fresh}
          onChange={(e) => setFresh(e.target.value)}
        />
        <Button disabled={!fresh.trim()} onClick={add}>
          Add
        </Button>
      </div>
    </div>
  );
}

/** A number, and yes and no, are written as what they are. */
function read(s: string): unknown {
  if (/^\d{1,9}$/.test(s)) return Number(s);
  return s === "true" || s === "false" ? s === "true" : s;
}

function DriverPicker({ value, onPick }: { value: string; onPick: (v: string) => void }) {
  const [word, setWord] = useState("");
  const found = useQuery(findQuery(["driver"], word));
  return (
    <Picker
      label="driver"
      word={value || "which?"}
      options={[
        { value: "driverless", label: "driverless", detail: "What the printer says of itself." },
        ...(found.data?.items ?? []).map((f) => ({ value: f.name, label: f.name, detail: f.says })),
      ]}
      onSearch={setWord}
      free={(t) => `Write ${t}`}
      onPick={onPick}
    />
  );
}
