import type { ReactNode } from "react";
import type { Queue } from "../../api/client";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { stateOf } from "./model";

/** Everything that the estate says of one queue. */
export function QueueSheet({ queue: q }: { queue: Queue }) {
  return (
    <dl className="grid grid-cols-[8rem_1fr] gap-y-2">
      <Item name="State"><Mark of={stateOf(q)} /></Item>
      <Item name="Grants">{q.grants.length > 0 ? q.grants.join(", ") : <Mark of="warning">no grant selects it: nobody gets this</Mark>}</Item>
      <Item name="Paths">
        {(q.paths ?? []).length === 0 && "none: it is left out of every lineup"}
        <ol className="list-decimal pl-5">
          {(q.paths ?? []).map((p, i) => (
            <li key={i}>
              {p.gateway ? "through the gateway" : p.server ? `through the server ${p.server}` : `straight to the device ${p.device}`}
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
      {q.labels && <Item name="Labels">{q.labels.join(", ")}</Item>}
      {q.formerly && <Item name="Formerly">{q.formerly.join(", ")}</Item>}
      <Item name="Listed">{q.listed ? "marked; this version does not write into the directory yet" : "no"}</Item>
      {q.note && <Item name="Note">{q.note}</Item>}
    </dl>
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
