import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { ProblemError, type Subject } from "../api/client";
import { list } from "../lib/words";
import { Drawer } from "../ui/Drawer";
import { Mark } from "../ui/Mark";
import { Failure, Waiting } from "../ui/Notice";
import { subjectQuery } from "./lineups";
import { NoteField } from "./NoteField";

const words: Record<string, string> = {
  to: "people",
  on: "machines",
  at: "places",
  sessions: "sessions",
  platforms: "platforms",
  open: "hours",
  nearest: "nearest queues",
  except: "exceptions",
};

type SubjectDrawerProps = { kind: "user" | "machine"; name: string; onClose: () => void };

/** Everything about one person or machine: groups, grants direct and inherited with their origin, endpoints. */
export function SubjectDrawer({ kind, name, onClose }: SubjectDrawerProps) {
  const subject = useQuery(subjectQuery(kind, name));
  const s = subject.data;
  return (
    <Drawer
      title={s?.user?.display_name || name}
      name={name}
      description={s ? says(s) : kind === "user" ? "A person" : "A machine"}
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      {subject.isPending ? (
        <Waiting what={`all about ${name}`} />
      ) : s ? (
        <SubjectSheet subject={s} />
      ) : (
        <Failure
          title={`Nothing about ${name}`}
          problem={{
            message: subject.error?.message ?? "",
            fix: subject.error instanceof ProblemError ? subject.error.problem.fix : undefined,
          }}
        />
      )}
    </Drawer>
  );
}

function says(s: Subject): string {
  if (s.user)
    return [s.user.name, s.user.email, s.user.unit && `unit ${s.user.unit}`]
      .filter(Boolean)
      .join(", ");
  if (s.machine)
    return (
      [
        s.machine.platform,
        s.machine.unit && `unit ${s.machine.unit}`,
        s.machine.location && `at ${s.machine.location}`,
      ]
        .filter(Boolean)
        .join(", ") || "A machine of the directory"
    );
  if (s.station)
    return [
      s.station.title,
      "a station of the estate",
      s.station.location && `at ${s.station.location}`,
    ]
      .filter(Boolean)
      .join(", ");
  return "Unknown to the directory";
}

/** The grants that name somebody, directly and through what they are in. */
export function Holdings({ of: s }: { of: Subject }) {
  const direct = s.holdings.filter((h) => h.direct);
  const inherited = s.holdings.filter((h) => !h.direct);
  return (
    <div className="flex flex-col gap-5">
      <Part title="Named directly by grants" empty="By none.">
        {direct.map((h) => (
          <Holding key={h.grant} of={h} />
        ))}
      </Part>
      <Part title="Inherits grants" empty="None.">
        {inherited.map((h) => (
          <Holding key={h.grant} of={h} />
        ))}
      </Part>
    </div>
  );
}

function SubjectSheet({ subject: s }: { subject: Subject }) {
  return (
    <div className="flex flex-col gap-5">
      <NoteField kind={s.kind === "user" ? "person" : "machine"} name={s.name} />
      {s.kind === "user" && s.user && (
        <p>
          <Link to={`/people/${encodeURIComponent(s.name)}`}>
            All about {s.user.display_name || s.name}: names, history and more
          </Link>
        </p>
      )}
      <Part title="In groups" empty="In none.">
        {s.groups.map((g) => (
          <li key={g.group} className="border-b border-rule py-1">
            <strong className="font-medium">{g.group}</strong>
            {!g.direct && <span className="text-ink-2">, through {g.through.join(", then ")}</span>}
          </li>
        ))}
      </Part>
      <Holdings of={s} />
      <Part title="On endpoints" empty="None has reported one.">
        {s.endpoints.map((e, i) => (
          <li key={i} className="border-b border-rule py-1">
            <Mark of={e.state ?? ""}>
              <strong className="font-medium">{e.endpoint}</strong>, {e.state}
            </Mark>
            <p className="pl-5 text-ink-2">
              {e.context.user ?? "nobody signed in"}, {e.context.session ?? "desktop"} session:{" "}
              {e.queues.length > 0 ? e.queues.join(", ") : "no queue"}
            </p>
          </li>
        ))}
      </Part>
    </div>
  );
}

function Holding({ of: h }: { of: Subject["holdings"][number] }) {
  return (
    <li className="border-b border-rule py-1">
      <strong className="font-medium">{h.grant}</strong> {h.effect}s{" "}
      {h.queues.join(", ") || "nothing"}
      <p className="text-ink-2">
        By {h.origin}
        {h.further.length > 0 &&
          `; only where its ${list(h.further.map((k) => words[k] ?? k))} hold`}
      </p>
    </li>
  );
}

function Part({ title, empty, children }: { title: string; empty: string; children: ReactNode[] }) {
  return (
    <section aria-label={title}>
      <h3 className="font-medium">{title}</h3>
      {children.length > 0 ? <ul>{children}</ul> : <p className="text-ink-2">{empty}</p>}
    </section>
  );
}
