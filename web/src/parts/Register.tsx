import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type NewWatch } from "../api/client";
import { ProblemNotice } from "./ProblemNotice";
import { Button } from "../ui/Button";
import { Field, inputLook } from "../ui/Field";

type RegisterProps = {
  kind: "server" | "device";
  start?: Partial<NewWatch> | undefined;
  onDone: (name: string) => void;
};

/** Registers a print server or a device by its address. It is tried at once, and the answer stands here. */
export function Register({ kind, start, onDone }: RegisterProps) {
  const client = useQueryClient();
  const [w, setW] = useState<NewWatch>({ uri: "", ...start });
  const change = (part: Partial<NewWatch>) => setW((old) => ({ ...old, ...part }));
  const send = useMutation({
    mutationFn: async (anyway: boolean) => {
      const body = { ...w, ...(anyway && { anyway }) };
      return kind === "server"
        ? ask(api.POST("/api/v1/stock/servers", { body }))
        : ask(api.POST("/api/v1/stock/devices", { body }));
    },
    onSuccess: async (v) => {
      await client.invalidateQueries({ queryKey: ["stock"] });
      onDone(v.name);
    },
  });
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        send.mutate(false);
      }}
    >
      <Field
        label="Address"
        value={w.uri}
        required
        placeholder={kind === "server" ? "ps-harbour.skerry.example" : "10.40.8.31"}
        onChange={(e) => change({ uri: e.target.value })}
        hint="A host name, an address, or a URI such as ipp://HOST:631/. It is tried at once."
      />
      <Field
        label="Name"
        value={w.name ?? ""}
        placeholder="made of the address"
        onChange={(e) => change({ name: e.target.value })}
        hint="Small letters, digits, dots and dashes."
      />
      <Field
        label="Location"
        value={w.location ?? ""}
        placeholder="such as ardholm/pier"
        onChange={(e) => change({ location: e.target.value })}
      />
      {kind === "device" && (
        <>
          <Field
            label="Hardware address"
            value={w.mac ?? ""}
            placeholder="read from the device"
            onChange={(e) => change({ mac: e.target.value })}
            hint="In any notation: 02-00-5E-10-00-31, 0200.5e10.0031. It stands on a label at the back, and on the configuration page that the device prints."
          />
          <label className="flex flex-col gap-1 font-medium">
            Its address is kept by
            <select
              className={`${inputLook} font-normal`}
              value={w.address_kept_by ?? ""}
              onChange={(e) =>
                change({
                  address_kept_by: (e.target.value || "unknown") as NonNullable<
                    NewWatch["address_kept_by"]
                  >,
                })
              }
            >
              <option value="">nobody knows yet</option>
              <option value="reservation">a reservation for its hardware address</option>
              <option value="static">a setting on the device</option>
            </select>
          </label>
        </>
      )}
      <Field label="Note" value={w.note ?? ""} onChange={(e) => change({ note: e.target.value })} />
      {send.error && <ProblemNotice title={`The ${kind} was not registered`} error={send.error} />}
      <div className="flex flex-wrap items-center gap-3">
        <Button kind="main" type="submit" disabled={send.isPending || !w.uri.trim()}>
          {send.isPending ? "Trying it…" : "Try and register"}
        </Button>
        {send.error && (
          <Button disabled={send.isPending} onClick={() => send.mutate(true)}>
            Register it anyway
          </Button>
        )}
      </div>
    </form>
  );
}
