import { useQueryClient } from "@tanstack/react-query";
import { useId } from "react";
import { api, ask, type DriverPlace } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { Button } from "../../ui/Button";
import { Field, inputLook } from "../../ui/Field";

type AddPlaceProps = { of?: DriverPlace | undefined; onDone: () => void };

/** Tries a place that drivers are fetched from, and keeps it where it answers. */
export function AddPlace({ of, onDone }: AddPlaceProps) {
  const client = useQueryClient();
  const authority = useId();
  const form = useForm({
    start: {
      name: of?.name ?? "",
      url: of?.url ?? "",
      ca: of?.ca ?? "",
      allow_clear: of?.allow_clear ?? false,
      note: of?.note ?? "",
    },
    keeps: true,
    send: ({ name, ...body }) =>
      ask(
        api.PUT("/api/v1/drivers/places/{name}", { params: { path: { name: name.trim() } }, body }),
      ),
    onDone: async () => {
      await client.invalidateQueries({ queryKey: ["places"] });
      onDone();
    },
    ofProblems: { place: "name" },
  });
  const v = form.value;
  return (
    <Form
      label="A place that drivers are fetched from"
      failed="It was not kept"
      form={form}
      foot={
        <p>
          <Button kind="main" type="submit" disabled={form.busy || !v.name.trim() || !v.url.trim()}>
            {form.busy ? "Trying it…" : "Try it, and keep it"}
          </Button>
        </p>
      }
    >
      {!of && (
        <Field
          label="Name"
          required
          placeholder="such as head-office"
          {...form.text("name")}
          hint="Small letters, digits and dashes."
        />
      )}
      <Field
        label="Folder, or spooler"
        required
        placeholder="https://drivers.skerry.example/makers/"
        {...form.text("url")}
        hint={
          "https://HOST/FOLDER/, with its zip archives and their checksums in a file SHA256SUMS " +
          "there; or ipps://HOST/, for what a print server's spooler brings along."
        }
      />
      <div className="flex flex-col gap-1">
        <label htmlFor={authority} className="font-medium">
          Authority of its certificate
        </label>
        <textarea
          id={authority}
          rows={3}
          className={`${inputLook} h-auto font-mono text-[0.86em]`}
          placeholder="PEM; the system's authorities when empty"
          value={v.ca}
          onChange={(e) => form.change({ ca: e.target.value })}
        />
      </div>
      <label className="flex min-h-[24px] items-center gap-2">
        <input
          type="checkbox"
          className="size-[24px] accent-accent"
          {...form.check("allow_clear")}
        />{" "}
        Take what is not encrypted, where others can change drivers on the way, and their checksums
      </label>
      <Field label="Note" {...form.text("note")} />
    </Form>
  );
}
