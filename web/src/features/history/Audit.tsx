import { queryOptions, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Event } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago, stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { useUrlText } from "../../lib/useUrlText";
import { Button } from "../../ui/Button";
import { Drawer } from "../../ui/Drawer";
import { Field } from "../../ui/Field";
import { Empty, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Table } from "../../ui/Table";
import { Forwarding } from "./Forwarding";

const kinds = [
  { value: "account", label: "accounts and sign-ins" },
  { value: "token", label: "tokens" },
  { value: "enrol", label: "enrolment" },
  { value: "estate", label: "what was published" },
  { value: "server", label: "servers" },
  { value: "queue", label: "queues and picks" },
  { value: "directory", label: "the directory" },
  { value: "person", label: "people" },
  { value: "request", label: "requests" },
  { value: "stock", label: "stock" },
  { value: "credential", label: "keys" },
  { value: "driver", label: "drivers" },
];

type Asked = { author: string; about: string; kind: string; since: string; after: string };

const auditQuery = (a: Asked) =>
  queryOptions({
    queryKey: ["events", "audit", a],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/audit", { params: { query: queryOf(a) }, signal })),
  });

function queryOf(a: Asked) {
  return {
    limit: 100,
    ...(a.author && { author: a.author }),
    ...(a.about && { about: a.about }),
    ...(a.kind && { kind: a.kind }),
    ...(a.since && { since: `${a.since}T00:00:00Z` }),
    ...(a.after && { after: a.after }),
  };
}

/** Changes and sign-ins: who, when, from where, what before and after. */
export function Audit() {
  const { get, set } = useUrl();
  const now = useNow();
  const [author, setAuthor] = useUrlText(get("by"), (v) => set("by", v));
  const [about, setAbout] = useUrlText(get("about"), (v) => set("about", v));
  const [pages, setPages] = useState<string[]>([""]);
  const [open, setOpen] = useState<Event | null>(null);
  const asked = {
    author: get("by"),
    about: get("about"),
    kind: get("kind"),
    since: get("since"),
    after: pages[pages.length - 1] ?? "",
  };
  const list = useQuery(auditQuery(asked));
  const lines = new URLSearchParams();
  for (const [k, v] of Object.entries(queryOf({ ...asked, after: "" })))
    if (k !== "limit") lines.set(k, String(v));
  const reset = () => setPages([""]);
  const events = list.data?.items ?? [];
  return (
    <section aria-label="Audit" className="mt-3 max-w-[90rem]">
      <Forwarding />
      <div className="flex flex-wrap items-end gap-4">
        <Field
          label="By"
          value={author}
          placeholder="an account or token"
          onChange={(e) => {
            setAuthor(e.target.value);
            reset();
          }}
          className="w-48"
        />
        <Field
          label="About"
          value={about}
          placeholder="by name"
          onChange={(e) => {
            setAbout(e.target.value);
            reset();
          }}
          className="w-48"
        />
        <Select
          label="Of"
          value={get("kind")}
          options={kinds}
          onChange={(v) => {
            set("kind", v);
            reset();
          }}
        />
        <Field
          label="Since"
          type="date"
          value={get("since")}
          onChange={(e) => {
            set("since", e.target.value);
            reset();
          }}
        />
        <a
          className="flex min-h-8 items-center"
          href={`/api/v1/audit/lines?${lines}`}
          download="audit.jsonl"
        >
          Take all of it, as JSON lines
        </a>
      </div>
      {list.isPending ? (
        <Waiting what="the audit" />
      ) : list.error ? (
        <ProblemNotice title="The audit cannot be shown" error={list.error} />
      ) : events.length === 0 ? (
        <div className="mt-3">
          <Empty title="Nothing of that sort happened">Ask for less, or for longer ago.</Empty>
        </div>
      ) : (
        <>
          <div className="mt-3">
            <Table
              label="Changes and sign-ins"
              heads={["When", "Who", "From", "What happened", ""]}
            >
              {events.map((e) => (
                <tr key={e.id} className="border-b border-rule align-baseline">
                  <td className="px-2 py-1 whitespace-nowrap">
                    <time dateTime={e.at} title={stamp(e.at)}>
                      {ago(e.at, now)}
                    </time>
                  </td>
                  <td className="px-2 py-1">{e.author}</td>
                  <td className="px-2 py-1">{e.remote}</td>
                  <td className="px-2 py-1">{e.says}</td>
                  <td className="px-2 py-1">
                    {(e.before !== undefined || e.after !== undefined) && (
                      <button
                        type="button"
                        className="min-h-[24px] whitespace-nowrap underline"
                        aria-label={`before, after: ${e.says}`}
                        onClick={() => setOpen(e)}
                      >
                        before, after
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </Table>
          </div>
          <p className="mt-2 flex gap-3">
            {pages.length > 1 && (
              <Button onClick={() => setPages(pages.slice(0, -1))}>Later ones</Button>
            )}
            {list.data.next && (
              <Button onClick={() => setPages([...pages, list.data.next])}>Earlier ones</Button>
            )}
          </p>
        </>
      )}
      <Drawer
        title={open?.says ?? ""}
        description={
          open
            ? `${stamp(open.at)}, by ${open.author}${open.remote ? ` from ${open.remote}` : ""}`
            : ""
        }
        open={open !== null}
        onOpenChange={(o) => {
          if (!o) setOpen(null);
        }}
      >
        <Side title="Before" value={open?.before} />
        <Side title="After" value={open?.after} />
      </Drawer>
    </section>
  );
}

function Side({ title, value }: { title: string; value: unknown }) {
  return (
    <section aria-label={title} className="mb-4">
      <h3 className="font-medium">{title}</h3>
      {value === undefined ? (
        <p className="text-ink-2">Nothing.</p>
      ) : (
        <div
          tabIndex={0}
          role="region"
          aria-label={title}
          className="overflow-x-auto border border-rule bg-wash p-2"
        >
          <pre className="font-mono text-[0.86em]">{JSON.stringify(value, null, 2)}</pre>
        </div>
      )}
    </section>
  );
}
