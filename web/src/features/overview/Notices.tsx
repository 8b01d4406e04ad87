import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type EstateNotice, type NoticeView } from "../../api/client";
import { draftChanged, draftDocumentQuery, sendEdits } from "../../api/drafts";
import { Form } from "../../parts/Form";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useForm } from "../../parts/useForm";
import { spelled } from "../../lib/span";
import { ago } from "../../lib/time";
import { useMay } from "../../parts/useMay";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Drawer } from "../../ui/Drawer";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Table } from "../../ui/Table";
import { noticesQuery, sentQuery } from "./queries";

/** Who is told of which faults, whether it arrives, and a trial. */
export function Notices() {
  const list = useQuery(noticesQuery());
  const sent = useQuery(sentQuery());
  const doc = useQuery(draftDocumentQuery());
  const mayEdit = useMay("edit a draft");
  const now = useNow();
  const [editing, setEditing] = useState<EstateNotice | null>(null);
  if (list.isPending) return <Waiting what="the notices" />;
  if (!list.data) return <Failure title="The notices cannot be shown" problem={list.error} />;
  const drafted = doc.data?.notices ?? [];
  const fresh = drafted.filter((d) => !list.data.some((n) => n.name === d.name));
  return (
    <div className="mt-3 flex max-w-[80rem] flex-col gap-6">
      <section aria-label="Notices" className="flex flex-col gap-4">
        {list.data.length === 0 && fresh.length === 0 && (
          <Empty title="Nobody is told of faults">
            A notice says who is told of what: of the servers at one site, of endpoints once too
            many fail, of keys that end. It stands in the estate.
          </Empty>
        )}
        {list.data.map((n) => (
          <OneNotice
            key={n.name}
            notice={n}
            onEdit={
              mayEdit ? () => setEditing(drafted.find((d) => d.name === n.name) ?? n) : undefined
            }
          />
        ))}
        {fresh.map((d) => (
          <p key={d.name}>
            <Mark of="plus">
              <button
                type="button"
                className="min-h-[24px] text-accent underline underline-offset-2"
                onClick={() => setEditing(d)}
              >
                {d.name}
              </button>{" "}
              is in your draft, and tells nobody before it is published.
            </Mark>
          </p>
        ))}
        {mayEdit && (
          <span>
            <Button kind="main" onClick={() => setEditing({ name: "", tell: [] })}>
              Write a notice
            </Button>
          </span>
        )}
      </section>
      <section aria-labelledby="sent">
        <h2 id="sent">What was sent</h2>
        {sent.data && sent.data.length > 0 ? (
          <Table label="What was sent" heads={["When", "Notice", "To", "Arrived", "Subject"]}>
            {sent.data.map((x) => (
              <tr key={x.id} className="border-b border-rule align-top">
                <td className="px-2 py-1 whitespace-nowrap">{ago(x.at, now)}</td>
                <td className="px-2 py-1">
                  {x.notice}
                  {x.trial && ", a trial"}
                </td>
                <td className="px-2 py-1 [overflow-wrap:anywhere]">{x.to.replace(/^mail:/, "")}</td>
                <td className="px-2 py-1">
                  <Mark of={x.ok ? "yes" : "no"}>{x.says}</Mark>
                </td>
                <td className="px-2 py-1">{x.subject}</td>
              </tr>
            ))}
          </Table>
        ) : (
          <p className="text-ink-2">
            {sent.isPending ? "Waiting for what was sent…" : "Nothing yet."}
          </p>
        )}
      </section>
      {editing && (
        <Drawer
          title={editing.name ? `Notice ${editing.name}` : "Write a notice"}
          description="Who is told of what; kept in your draft"
          open
          onOpenChange={() => setEditing(null)}
        >
          <NoticeForm of={editing} onDone={() => setEditing(null)} />
        </Drawer>
      )}
    </div>
  );
}

function sentence(n: NoticeView): string {
  const all = n.about && n.about.length > 0 ? n.about : [];
  const at =
    n.at && n.at.length > 0
      ? ` at ${n.at.map((a) => a.replace(/^location:/, "")).join(" or ")}`
      : "";
  const lasts = spelled(n.after ?? "5m");
  const again = n.again
    ? `, and again every ${spelled(n.again).replace(/^1 /, "")} while it lasts`
    : "";
  const others = n.part ? all.filter((a) => a !== "endpoints") : all;
  const each =
    others.length > 0 || all.length === 0
      ? `Of ${others.length > 0 ? others.join(", ") : n.part ? "everything else that is watched" : "everything that is watched"}${at}, once it has lasted ${lasts}${again}; and when it is over.`
      : "";
  const together = n.part
    ? `Of endpoints${at} together, once ${n.part} of all have failed or been silent for ${lasts}; and when it is over.`
    : "";
  return [each, together].filter(Boolean).join(" ");
}

function OneNotice({
  notice: n,
  onEdit,
}: {
  notice: NoticeView;
  onEdit: (() => void) | undefined;
}) {
  const client = useQueryClient();
  const mayTry = useMay("publish the estate");
  const now = useNow();
  const attempt = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/notices/{name}/try", { params: { path: { name: n.name } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["faults"] }),
  });
  const tells = [
    ...(n.tell ?? []).map((t) => t.replace(/^(mail|post):/, "")),
    ...(n.owners ? ["the owners of jobs that wait on a dead server"] : []),
  ];
  return (
    <article
      aria-label={n.title || n.name}
      className="border border-rule-strong bg-sheet px-4 py-3"
    >
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h3 className="font-medium">{n.title || n.name}</h3>
        <Mark of={n.last && !n.last.ok ? "no" : n.last ? "yes" : "idle"}>
          {n.last
            ? `${n.last.ok ? "arrived" : "did not arrive"}, ${ago(n.last.at, now)}`
            : "nothing sent yet: try it"}
        </Mark>
        <span className="ml-auto flex gap-2">
          {mayTry && (
            <Button disabled={attempt.isPending} onClick={() => attempt.mutate()}>
              {attempt.isPending ? "Sending…" : "Try it"}
              <span className="sr-only"> ({n.name})</span>
            </Button>
          )}
          {onEdit && (
            <Button onClick={onEdit}>
              Change it<span className="sr-only"> ({n.name})</span>
            </Button>
          )}
        </span>
      </div>
      <p>{sentence(n)}</p>
      <p className="text-ink-2">Tells {tells.join(", ")}.</p>
      <p>
        {n.faults.length === 0 ? (
          "Nothing of that is wrong just now."
        ) : (
          <Mark of="failing">
            {count(n.faults.length, "fault")} of that just now;{" "}
            {n.told.length === 0
              ? "nobody has been told yet"
              : `people have been told of ${n.told.length}`}
            .
          </Mark>
        )}
      </p>
      {n.note && <p className="text-ink-2">{n.note}</p>}
      {attempt.error && <ProblemNotice title="It was not tried" error={attempt.error} />}
      {attempt.data && (
        <div role="status">
          <ul aria-label={`The trial of ${n.name}`}>
            {attempt.data.map((x) => (
              <li key={x.to}>
                <Mark of={x.ok ? "yes" : "no"}>
                  {x.to}: {x.says}
                </Mark>
              </li>
            ))}
            {attempt.data.length === 0 && (
              <li>It tells owners of waiting jobs alone: there is nobody to try it with.</li>
            )}
          </ul>
        </div>
      )}
    </article>
  );
}

const abouts = [
  ["servers", "Servers, and queues on them"],
  ["devices", "Devices"],
  ["endpoints", "Endpoints"],
  ["sets", "Server sets"],
  ["directory", "Directories"],
  ["keys", "Stored keys"],
  ["drafts", "Drafts that could not be published at their time"],
] as const;
const words = (s: string): string[] => s.split(/[\s,]+/).filter(Boolean);

type Entered = Record<"name" | "at" | "after" | "again" | "part" | "tell", string> & {
  about: string[];
  owners: boolean;
};

/** A notice as it is entered. */
function entered(n: EstateNotice): Entered {
  return {
    name: n.name,
    about: n.about ?? [],
    at: (n.at ?? []).map((a) => a.replace(/^location:/, "")).join(" "),
    after: n.after ?? "",
    again: n.again ?? "",
    part: n.part ?? "",
    tell: (n.tell ?? []).join(" "),
    owners: n.owners ?? false,
  };
}

/** The notice that was entered, with what else the one before has. */
function noticeOf(n: EstateNotice, v: Entered) {
  const { about: _a, at: _b, after: _c, again: _d, part: _e, tell: _f, owners: _g, ...rest } = n;
  const tell = words(v.tell).map((t) => (/^[a-z]+:/.test(t) ? t : `mail:${t}`));
  const at = words(v.at).map((p) => `location:${p}`);
  const [after, again, part] = [v.after.trim(), v.again.trim(), v.part.trim()];
  return {
    ...rest,
    name: v.name.trim(),
    ...(v.about.length > 0 && { about: v.about }),
    ...(at.length > 0 && { at }),
    ...(after && { after }),
    ...(again && { again }),
    ...(part && { part }),
    ...(tell.length > 0 && { tell }),
    ...(v.owners && { owners: true }),
  };
}

/** The parts of a notice; what is wrong with them is said by the draft. */
function NoticeForm({ of, onDone }: { of: EstateNotice; onDone: () => void }) {
  const client = useQueryClient();
  const done = async () => {
    await draftChanged(client);
    onDone();
  };
  const form = useForm({
    start: entered(of),
    keeps: true,
    send: (v) => {
      const object = noticeOf(of, v);
      return sendEdits([{ list: "notices", name: object.name, object, create: !of.name }]);
    },
    onDone: done,
  });
  const { about } = form.value;
  const drop = useMutation({
    mutationFn: () => sendEdits([{ list: "notices", name: of.name, remove: true }]),
    onSuccess: done,
  });
  const lacks = !form.value.name.trim()
    ? "It lacks a name."
    : words(form.value.tell).length === 0 && !form.value.owners
      ? "It tells nobody yet."
      : "";
  return (
    <Form
      label="The notice"
      failed="The draft was not changed"
      form={form}
      foot={
        <>
          {drop.error && <ProblemNotice title="It stays" error={drop.error} />}
          <div className="flex flex-wrap items-center gap-3">
            <Button kind="main" type="submit" disabled={Boolean(lacks) || form.busy}>
              Put it into the draft
            </Button>
            {of.name && (
              <Button disabled={drop.isPending} onClick={() => drop.mutate()}>
                Take it out, in the draft
              </Button>
            )}
            {lacks && <span className="text-ink-2">{lacks}</span>}
          </div>
          <p className="text-ink-2">
            Once it is published, try it: a message goes along each way, and it is said how that
            went.
          </p>
        </>
      }
    >
      {!of.name && <Field label="Name" {...form.text("name")} placeholder="such as harbour" />}
      <fieldset>
        <legend className="font-medium">About</legend>
        {abouts.map(([v, w]) => (
          <label key={v} className="flex min-h-[24px] items-center gap-2">
            <input
              type="checkbox"
              className="size-6"
              checked={about.includes(v)}
              onChange={(e) =>
                form.change({
                  about: e.target.checked ? [...about, v] : about.filter((x) => x !== v),
                })
              }
            />
            {w}
          </label>
        ))}
        <p className="text-ink-3">With none it is about all of them.</p>
      </fieldset>
      <Field
        label="At"
        {...form.text("at")}
        placeholder="everywhere"
        hint="Paths of locations, such as ardholm/quay-house. With some, only of what lies there."
      />
      <Field
        label="After"
        {...form.text("after")}
        placeholder="5m, the usual"
        hint="What is over sooner is not told."
      />
      <Field
        label="Again after"
        {...form.text("again")}
        placeholder="only once"
        hint="With its unit, such as 90m, 4h or 1d."
      />
      <Field
        label="Endpoints together, from a share of"
        {...form.text("part")}
        placeholder="each by itself"
        hint="Such as 10%."
      />
      <Field
        label="Tell"
        {...form.text("tell")}
        placeholder="desk@skerry.example user:liv.orre"
        hint="Mail addresses, user:NAME, group:NAME by their addresses in the directory, or post:URL."
      />
      <label className="flex min-h-[24px] items-center gap-2">
        <input type="checkbox" className="size-6" {...form.check("owners")} />
        Also tell people whose jobs wait on a server that does not answer
      </label>
    </Form>
  );
}
