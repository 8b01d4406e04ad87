import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { draftDocumentQuery } from "../../api/drafts";
import { Form } from "../../parts/Form";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useForm } from "../../parts/useForm";
import { scansQuery } from "../../api/stock";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";

const marks = { running: "open", done: "yes", stopped: "minus" };

/** What is entered, as the service wants it. */
const scanOf = (v: { ranges: string; rate: string }) => ({
  ranges: v.ranges.split(/[\s,]+/).filter(Boolean),
  rate: Number(v.rate),
});

/** Looks for printers that nobody listed: says first what it would touch, then shows how far it is, and can be stopped. */
export function Scan() {
  const client = useQueryClient();
  const now = useNow();
  const scans = useQuery(scansQuery());
  const document = useQuery(draftDocumentQuery());
  const fresh = () => client.invalidateQueries({ queryKey: ["stock"] });
  const plan = useForm({
    start: { ranges: "", rate: "40" },
    keeps: true,
    send: (v) => ask(api.POST("/api/v1/stock/scans", { body: { ...scanOf(v), dry: true } })),
  });
  const begin = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/stock/scans", { body: { ...scanOf(plan.value), dry: false } })),
    onSuccess: () => {
      plan.forget();
      return fresh();
    },
  });
  const stop = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/v1/stock/scans/{id}", { params: { path: { id } } })),
    onSuccess: fresh,
  });
  const p = plan.result?.plan;
  return (
    <div className="mt-3 flex max-w-[60rem] flex-col gap-4">
      <Form
        label="Look for printers"
        failed="It was not begun"
        form={plan}
        foot={begin.error && <ProblemNotice title="It was not begun" error={begin.error} />}
      >
        <div className="flex flex-wrap items-end gap-3">
          <Field
            label="Subnets, ranges, addresses"
            className="w-80"
            list="subnets"
            placeholder="10.40.16.32/27 10.40.8.20-10.40.8.60"
            {...plan.text("ranges")}
          />
          <datalist id="subnets">
            {document.data?.subnets?.map((s) => (
              <option key={s.cidr} value={s.cidr}>
                {s.location}
              </option>
            ))}
          </datalist>
          <Field
            label="Addresses a second"
            type="number"
            min={1}
            max={200}
            {...plan.text("rate")}
          />
          <Button type="submit" disabled={!plan.value.ranges.trim() || plan.busy}>
            Say what would be touched
          </Button>
        </div>
      </Form>
      {p && (
        <section
          aria-label="What would be touched"
          className="border border-rule bg-wash px-3 py-2"
        >
          <p>
            <strong className="font-medium">{count(p.total, "address")}</strong> from {p.first} to{" "}
            {p.last}; {p.listed} of them belong to listed devices and servers and are not asked. At{" "}
            {p.rate} a second it takes {p.seconds} s at least.
          </p>
          <p className="text-ink-2">
            Each is asked: {p.asks.join("; ")}. Nothing is printed, and nothing changed.
          </p>
          <div className="mt-2">
            <Button kind="main" disabled={begin.isPending} onClick={() => begin.mutate()}>
              Begin
            </Button>
          </div>
        </section>
      )}
      {stop.error && <ProblemNotice title="It was not stopped" error={stop.error} />}
      <ul aria-label="Scans">
        {(scans.data ?? []).map((s) => (
          <li
            key={s.id}
            className="flex flex-wrap items-center gap-x-4 border-b border-rule py-1.5"
          >
            <Mark of={marks[s.state]}>{s.state}</Mark>
            <span>{s.ranges.join(", ")}</span>
            {s.state === "running" && (
              <>
                <progress max={s.total} value={s.done} aria-label={`Scan ${s.id}`} />
                <Button onClick={() => stop.mutate(s.id)}>Stop</Button>
              </>
            )}
            <span className="text-ink-2">
              {s.done} of {count(s.total, "address")} asked,{" "}
              {s.found > 0 ? (
                <Link to="/devices?show=found">{s.found} answered that are not listed</Link>
              ) : (
                "none answered that is not listed"
              )}
              ; begun {ago(s.at, now)} by {s.author}
            </span>
          </li>
        ))}
      </ul>
      {scans.data?.length === 0 && (
        <p className="text-ink-2">
          Nothing was scanned yet. What a scan finds is proposed under “Found”, and never added by
          itself.
        </p>
      )}
    </div>
  );
}
