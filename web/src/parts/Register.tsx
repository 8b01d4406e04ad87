import { useQueryClient } from "@tanstack/react-query";
import { api, ask, type NewWatch } from "../api/client";
import { Form } from "./Form";
import { useForm } from "./useForm";
import { Button } from "../ui/Button";
import { Field, inputLook } from "../ui/Field";

type RegisterProps = {
  kind: "server" | "device";
  start?: Partial<NewWatch> | undefined;
  onDone: (name: string) => void;
};

const keepers = ["reservation", "static"] as const;

/** Registers a print server or a device by its address. It is tried at once, and the answer stands here. */
export function Register({ kind, start, onDone }: RegisterProps) {
  const client = useQueryClient();
  const start0: NewWatch = { uri: "", ...start };
  const form = useForm({
    start: start0,
    keeps: true,
    ofProblems: { address: "uri" },
    send: async (body: NewWatch): Promise<{ name: string }> =>
      kind === "server"
        ? ask(api.POST("/api/v1/stock/servers", { body }))
        : ask(api.POST("/api/v1/stock/devices", { body })),
    onDone: async (v) => {
      await client.invalidateQueries({ queryKey: ["stock"] });
      onDone(v.name);
    },
  });
  const w = form.value;
  return (
    <Form
      label={`Register a ${kind}`}
      failed={`The ${kind} was not registered`}
      form={form}
      foot={
        <div className="flex flex-wrap items-center gap-3">
          <Button kind="main" type="submit" disabled={form.busy || !w.uri.trim()}>
            {form.busy ? "Trying it…" : "Try and register"}
          </Button>
          {form.failed && (
            <Button disabled={form.busy} onClick={() => form.again({ ...w, anyway: true })}>
              Register it anyway
            </Button>
          )}
        </div>
      }
    >
      <Field
        label="Address"
        {...form.text("uri")}
        required
        placeholder={kind === "server" ? "ps-harbour.skerry.example" : "10.40.8.31"}
        hint="A host name, an address, or a URI such as ipp://HOST:631/. It is tried at once."
      />
      <Field
        label="Name"
        {...form.text("name")}
        placeholder="made of the address"
        hint="Small letters, digits, dots and dashes."
      />
      <Field label="Location" {...form.text("location")} placeholder="such as ardholm/pier" />
      {kind === "device" && (
        <>
          <Field
            label="Hardware address"
            {...form.text("mac")}
            placeholder="read from the device"
            hint="In any notation: 02-00-5E-10-00-31, 0200.5e10.0031. It stands on a label at the back, and on the configuration page that the device prints."
          />
          <label className="flex flex-col gap-1 font-medium">
            Its address is kept by
            <select
              className={`${inputLook} font-normal`}
              value={w.address_kept_by ?? ""}
              onChange={(e) =>
                form.change({
                  address_kept_by: keepers.find((k) => k === e.target.value) ?? "unknown",
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
      <Field label="Note" {...form.text("note")} />
    </Form>
  );
}
