import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import type { EstateQueue, Finding, Queue } from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useMay } from "../../parts/useMay";
import { Button } from "../../ui/Button";
import { Exact } from "../../ui/Exact";
import { Fact, Facts } from "../../ui/Facts";
import { Mark } from "../../ui/Mark";
import { OpenSteps } from "../../parts/OpenSteps";
import { Past } from "../../parts/Past";
import { ChainSection } from "./ChainSection";
import { DefaultsSection } from "./DefaultsSection";
import { DriversSection } from "./DriversSection";
import { HoldersSection } from "./HoldersSection";
import { ReachMarks } from "./ReachMarks";
import { TextsSection } from "./TextsSection";
import { stateOf } from "./model";

type QueueSheetProps = { queue: Queue; drafted: EstateQueue | undefined; findings: Finding[] };

/** Everything that the estate says of one queue; what is changed here is kept in the draft. */
export function QueueSheet({ queue: q, drafted: inDraft, findings }: QueueSheetProps) {
  const mayEdit = useMay("edit a draft");
  const drafted = mayEdit ? inDraft : undefined;
  return (
    <>
      {findings.length > 0 && (
        <ul aria-label="Findings" className="mb-4">
          {findings.map((f, i) => (
            <li key={i} className="py-0.5">
              <Mark of={f.severity}>
                {f.says}; {f.fix}.
              </Mark>
            </li>
          ))}
        </ul>
      )}
      {mayEdit && <Switches published={q} drafted={drafted} />}
      {drafted && (
        <p className="mb-4">
          <Link to={`/estate?list=queues&open=${encodeURIComponent(q.name)}`}>
            Change its paths, hours, access, labels and old names
          </Link>
        </p>
      )}
      <Facts>
        <Fact name="State">
          <Mark of={stateOf(q)} />
        </Fact>
        <Fact name="Grants">
          {q.given.state === "given" ? (
            <>
              {q.given.by.join(", ")}
              {q.given.withheld_by.length > 0 && `; kept away by ${q.given.withheld_by.join(", ")}`}
            </>
          ) : (
            <Mark of="warning">{q.given.says}</Mark>
          )}
        </Fact>
        <Fact name="On endpoints">
          <Link to={`/endpoints?show=proof&queue=${encodeURIComponent(q.name)}`}>
            Has it arrived where it is expected?
          </Link>
        </Fact>
        <Fact name="Paths">
          {(q.paths ?? []).length === 0 && "none: it is left out of every lineup"}
          <ol className="list-decimal pl-5">
            {(q.paths ?? []).map((p, i) => (
              <li key={i}>
                {p.gateway
                  ? "through the gateway"
                  : p.server
                    ? `through the server ${p.server}`
                    : p.set
                      ? `through the server set ${p.set}`
                      : `straight to the device ${p.device}`}
                {p.remote_name && (
                  <>
                    {" "}
                    as <Exact text={p.remote_name} />
                  </>
                )}
                {p.at && `, at ${p.at.join(" or ")}`}
                {p.sessions && `, in ${p.sessions.join(" or ")} sessions`}
              </li>
            ))}
          </ol>
        </Fact>
        {q.devices && (
          <Fact name={q.devices.length > 1 ? "Pool of" : "Device"}>{q.devices.join(", ")}</Fact>
        )}
        <Fact name="Drivers">
          {q.drivers ? (
            <ul>
              {Object.entries(q.drivers)
                .sort()
                .map(([k, v]) => (
                  <li key={k}>
                    {k}: <Exact text={v} />
                  </li>
                ))}
            </ul>
          ) : (
            "driverless everywhere"
          )}
        </Fact>
        {q.defaults && (
          <Fact name="Defaults">
            <ul>
              {Object.entries(q.defaults)
                .sort()
                .map(([k, v]) => (
                  <li key={k} className="font-mono text-[0.93em]">
                    {k} = {String(v)}
                  </li>
                ))}
            </ul>
          </Fact>
        )}
        <Fact name="Who may print">{sentence(q)}</Fact>
        <Fact name="Takes jobs">
          {q.open
            ? `${q.open.map((w) => `${w.days ? w.days.join(" ") : "every day"} ${w.from}-${w.to}`).join(" and ")}, by the clock of its site; outside of that people keep it, and it takes no jobs`
            : "at any hour"}
          {q.closing.map((c) => (
            <p key={c.says}>
              <Mark of={c.held ? "yes" : "warning"}>{c.says}</Mark>
            </p>
          ))}
        </Fact>
        {q.units && <Fact name="Fitted">{fitted(q.units)}</Fact>}
        {q.on_servers && <Fact name="On kept servers">{running(q.on_servers)}</Fact>}
        {q.labels && <Fact name="Labels">{q.labels.join(", ")}</Fact>}
        {q.formerly && <Fact name="Formerly">{q.formerly.join(", ")}</Fact>}
        <Fact name="Reaches people">
          <ReachMarks queue={q} />
        </Fact>
        {q.note && <Fact name="Note">{q.note}</Fact>}
      </Facts>
      <div className="mt-5 flex flex-col gap-3">
        <ChainSection queue={q} />
        {drafted && (
          <DefaultsSection key={`defaults ${JSON.stringify(drafted.defaults)}`} queue={drafted} />
        )}
        {drafted && <DriversSection queue={drafted} />}
        {drafted && (
          <TextsSection
            key={`texts ${drafted.title} ${drafted.location} ${drafted.note}`}
            queue={drafted}
          />
        )}
        <HoldersSection queue={q.name} />
        <OpenSteps queue={q.name} />
        <Past list="queues" name={q.name} />
      </div>
    </>
  );
}

/** Pauses, resumes, retires, and takes out: in the draft. */
function Switches({ published, drafted }: { published: Queue; drafted: EstateQueue | undefined }) {
  const client = useQueryClient();
  const send = useMutation({
    mutationFn: (object: EstateQueue | null) =>
      sendEdits([
        object
          ? { list: "queues", name: published.name, object }
          : { list: "queues", name: published.name, remove: true },
      ]),
    onSuccess: () => draftChanged(client),
  });
  if (!drafted)
    return (
      <p className="mb-4">
        <Mark of="minus">It is taken out in your draft.</Mark>
      </p>
    );
  const flip = (key: "paused" | "retired" | "listed") => {
    const { [key]: was, ...rest } = drafted;
    send.mutate(was ? rest : { ...rest, [key]: true });
  };
  const differs =
    Boolean(drafted.paused) !== Boolean(published.paused) ||
    Boolean(drafted.retired) !== Boolean(published.retired) ||
    Boolean(drafted.listed) !== Boolean(published.listed);
  return (
    <div className="mb-4">
      <div className="flex flex-wrap items-center gap-2">
        <Button onClick={() => flip("paused")}>{drafted.paused ? "Resume it" : "Pause it"}</Button>
        <Button onClick={() => flip("retired")}>
          {drafted.retired ? "Put it back into use" : "Retire it"}
        </Button>
        <Button onClick={() => flip("listed")}>{drafted.listed ? "Unlist it" : "List it"}</Button>
        <Button onClick={() => send.mutate(null)}>Take it out</Button>
        {differs && (
          <Mark of="behind">
            {drafted.retired ? "retired" : drafted.paused ? "paused" : "open"}
            {drafted.listed ? " and listed" : ""} in the draft
          </Mark>
        )}
      </div>
      <p className="mt-1 text-ink-2">
        Paused: people keep it and it takes no jobs. Retired: people lose it. Listed: people find it
        in the directory. Kept in your draft until you publish.
      </p>
      {send.error && <ProblemNotice title="The draft was not changed" error={send.error} />}
    </div>
  );
}

function fitted(u: NonNullable<Queue["units"]>): string {
  return [
    u.trays && `trays ${u.trays.join(", ")}`,
    u["two-sided"] !== undefined && (u["two-sided"] ? "prints on both sides" : "one side only"),
    u.finishings && u.finishings.join(", "),
  ]
    .filter(Boolean)
    .join("; ");
}

function running(r: NonNullable<Queue["on_servers"]>): string {
  return [
    r.comment && `shown as “${r.comment}”`,
    r.render === "client" && "passes on what it takes as it is",
    r.finished && `keeps completed jobs for ${r.finished}`,
    r.mismatch === "print" && "prints on other paper where it has to",
    r.order === "shortest" && "short jobs first",
    r.colour_profile && `colour profile ${r.colour_profile}`,
  ]
    .filter(Boolean)
    .join("; ");
}

function sentence(q: Queue): string {
  const allow = q.access?.allow;
  const deny = q.access?.deny;
  const who = allow ? `only ${allow.join(" or ")}` : "everybody who receives it";
  return deny ? `${who}, but not ${deny.join(" or ")}` : who;
}
