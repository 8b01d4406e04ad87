import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { EstateDevice } from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { among, keysOf } from "../../lib/among";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";

const whats = {
  reservation: "their addresses are kept by reservations",
  static: "their addresses are set on the devices",
  location: "move them to",
  note: "note on them",
} as const;
type What = keyof typeof whats;

/** Changes many devices at once, in the draft. */
export function DevicesTogether({
  devices,
  onDone,
}: {
  devices: EstateDevice[];
  onDone: () => void;
}) {
  const client = useQueryClient();
  const [what, setWhat] = useState<What>("reservation");
  const [text, setText] = useState("");
  const typed = what === "location" || what === "note";
  const changed = (d: EstateDevice): EstateDevice =>
    typed ? { ...d, [what]: text.trim() } : { ...d, address_kept_by: what };
  const send = useMutation({
    mutationFn: () =>
      sendEdits(devices.map((d) => ({ list: "devices", name: d.name, object: changed(d) }))),
    onSuccess: async () => {
      await draftChanged(client);
      onDone();
    },
  });
  return (
    <section
      aria-label="Change together"
      className="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2 border border-rule bg-wash px-3 py-2"
    >
      <label className="flex items-center gap-2">
        Of {count(devices.length, "device")} in the estate
        <select
          className={inputLook}
          value={what}
          onChange={(e) => {
            setWhat(among(keysOf(whats), e.target.value) ?? what);
            setText("");
          }}
        >
          {Object.entries(whats).map(([k, v]) => (
            <option key={k} value={k}>
              {v}
            </option>
          ))}
        </select>
      </label>
      {typed && (
        <input
          aria-label={whats[what]}
          className={`${inputLook} w-72`}
          value={text}
          placeholder={what === "location" ? "location, such as site/floor" : "note"}
          onChange={(e) => setText(e.target.value)}
        />
      )}
      <Button
        disabled={(typed && !text.trim()) || send.isPending || devices.length === 0}
        onClick={() => send.mutate()}
      >
        Keep in the draft
      </Button>
      {devices.length === 0 && (
        <span role="status" className="text-ink-2">
          None of them is in the estate: make queues of them first.
        </span>
      )}
      {send.error && <ProblemNotice title="None of them was changed" error={send.error} />}
    </section>
  );
}
