import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { draftDocumentQuery } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { scansQuery } from "../../api/stock";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";

const marks = { running: "open", done: "yes", stopped: "minus" };

/** Looks for printers that nobody listed: says first what it would touch, then shows how far it is, and can be stopped. */
export function Scan() {
  const client = useQueryClient();
  const now = useNow();
  const scans = useQuery(scansQuery());
  const document = useQuery(draftDocumentQuery());
  const [text, setText] = useState("");
  const [rate, setRate] = useState(40);
  const ranges = text.split(/[\s,]+/).filter(Boolean);
  const fresh = () => client.invalidateQueries({ queryKey: ["stock"] });
  const plan = useMutation({
    mutationFn: (dry: boolean) =>
      ask(api.POST("/api/v1/stock/scans", { body: { ranges, rate, dry } })),
    onSuccess: (_, dry) => (dry ? undefined : fresh()),
  });
  const stop = useMutation({
    mutationFn: (id: number) =>
      ask(api.DELETE("/api/v1/stock/scans/{id}", { params: { path: { id } } })),
    onSuccess: fresh,
  });
  const p = plan.data?.plan;
  return (
    <div className="mt-3 flex max-w-[60rem] flex-col gap-4">
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          plan.mutate(true);
        }}
      >
        <label className="flex flex-col gap-1">
          Subnets, ranges, addresses
          <input
            className={`${inputLook} w-80`}
            list="subnets"
            value={text}
            placeholder="10.40.16.32/27 10.40.8.20-10.40.8.60"
            onChange={(e) => {
              setText(e.target.value);
              plan.reset();
            }}
          />
        </label>
        <datalist id="subnets">
          {document.data?.subnets?.map((s) => (
            <option key={s.cidr} value={s.cidr}>
              {s.location}
            </option>
          ))}
        </datalist>
        <label className="flex flex-col gap-1">
          Addresses a second
          <input
            type="number"
            min={1}
            max={200}
            className={`${inputLook} w-24`}
            value={rate}
            onChange={(e) => {
              setRate(Number(e.target.value));
              plan.reset();
            }}
          />
        </label>
        <Button type="submit" disabled={ranges.length === 0 || plan.isPending}>
          Say what would be touched
        </Button>
      </form>
      {plan.error && <ProblemNotice title="It was not begun" error={plan.error} />}
      {p && plan.variables && (
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
            <Button kind="main" disabled={plan.isPending} onClick={() => plan.mutate(false)}>
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
