import type { ReactNode } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { EstateQueue, Finding, Queue } from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../api/ProblemNotice";
import { Button } from "../../ui/Button";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { HoldersSection } from "./HoldersSection";
import { stateOf } from "./model";

type QueueSheetProps = { queue: Queue; drafted: EstateQueue | undefined; findings: Finding[] };

/** Everything that the estate says of one queue; what is changed here is kept in the draft. */
export function QueueSheet({ queue: q, drafted, findings }: QueueSheetProps) {
  return (
    <>
    {findings.length > 0 && <ul aria-label="Findings" className="mb-4">{findings.map((f, i) => <li key={i} className="py-0.5"><Mark of={f.severity}>{f.says}; {f.fix}.</Mark></li>)}</ul>}
    <Switches published={q} drafted={drafted} />
    <dl className="grid grid-cols-[8rem_1fr] gap-y-2">
      <Item name="State"><Mark of={stateOf(q)} /></Item>
      <Item name="Grants">{q.grants.length > 0 ? q.grants.join(", ") : <Mark of="warning">no grant selects it: nobody gets this</Mark>}</Item>
      <Item name="Paths">
        {(q.paths ?? []).length === 0 && "none: it is left out of every lineup"}
        <ol className="list-decimal pl-5">
          {(q.paths ?? []).map((p, i) => (
            <li key={i}>
              {p.gateway ? "through the gateway" : p.server ? `through the server ${p.server}` : p.set ? `through the server set ${p.set}` : `straight to the device ${p.device}`}
              {p.remote_name && <> as <Exact text={p.remote_name} /></>}
              {p.at && `, at ${p.at.join(" or ")}`}
              {p.sessions && `, in ${p.sessions.join(" or ")} sessions`}
            </li>
          ))}
        </ol>
      </Item>
      {q.devices && <Item name={q.devices.length > 1 ? "Pool of" : "Device"}>{q.devices.join(", ")}</Item>}
      <Item name="Drivers">
        {q.drivers ? <ul>{Object.entries(q.drivers).sort().map(([k, v]) => <li key={k}>{k}: <Exact text={v} /></li>)}</ul> : "driverless everywhere"}
      </Item>
      {q.defaults && <Item name="Defaults"><ul>{Object.entries(q.defaults).sort().map(([k, v]) => <li key={k} className="font-mono text-[0.93em]">{k} = {String(v)}</li>)}</ul></Item>}
      <Item name="Who may print">{sentence(q)}</Item>
      <Item name="Takes jobs">{q.open ? `${q.open.map((w) => `${w.days ? w.days.join(" ") : "every day"} ${w.from}-${w.to}`).join(" and ")}, by the clock of its site; outside of that people keep it, and it takes no jobs` : "at any hour"}</Item>
      {q.labels && <Item name="Labels">{q.labels.join(", ")}</Item>}
      {q.formerly && <Item name="Formerly">{q.formerly.join(", ")}</Item>}
      <Item name="Listed">{q.listed ? "marked; this version does not write into the directory yet" : "no"}</Item>
      {q.note && <Item name="Note">{q.note}</Item>}
    </dl>
    <HoldersSection queue={q.name} />
    </>
  );
}

/** Pauses, resumes, retires, and takes out: in the draft. */
function Switches({ published, drafted }: { published: Queue; drafted: EstateQueue | undefined }) {
  const client = useQueryClient();
  const send = useMutation({ mutationFn: (object: EstateQueue | null) => sendEdits([object ? { list: "queues", name: published.name, object } : { list: "queues", name: published.name, remove: true }]), onSuccess: () => draftChanged(client) });
  if (!drafted) return <p className="mb-4"><Mark of="minus">It is taken out in your draft.</Mark></p>;
  const flip = (key: "paused" | "retired") => {
    const { [key]: was, ...rest } = drafted;
    send.mutate(was ? rest : { ...rest, [key]: true });
  };
  const differs = Boolean(drafted.paused) !== Boolean(published.paused) || Boolean(drafted.retired) !== Boolean(published.retired);
  return (
    <div className="mb-4">
      <div className="flex flex-wrap items-center gap-2">
        <Button onClick={() => flip("paused")}>{drafted.paused ? "Resume it" : "Pause it"}</Button>
        <Button onClick={() => flip("retired")}>{drafted.retired ? "Put it back into use" : "Retire it"}</Button>
        <Button onClick={() => send.mutate(null)}>Take it out</Button>
        {differs && <Mark of="behind">{drafted.retired ? "retired" : drafted.paused ? "paused" : "open"} in the draft</Mark>}
      </div>
      <p className="mt-1 text-ink-2">Paused: people keep it and it takes no jobs. Retired: people lose it. Kept in your draft until you publish.</p>
      {send.error && <ProblemNotice title="The draft was not changed" error={send.error} />}
    </div>
  );
}

function sentence(q: Queue): string {
  const allow = q.access?.allow;
  const deny = q.access?.deny;
  const who = allow ? `only ${allow.join(" or ")}` : "everybody who receives it";
  return deny ? `${who}, but not ${deny.join(" or ")}` : who;
}

function Item({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="text-ink-2">{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}
