import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { queryOptions } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, type Diff, type Revision } from "../../api/client";
import { draftChanged } from "../../api/drafts";
import { Comments } from "../../parts/Comments";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago, stamp } from "../../lib/time";
import { useMay } from "../../parts/useMay";
import { useNow } from "../../lib/useNow";
import { useUrl } from "../../lib/useUrl";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Diffs, type ShownDiff } from "../../ui/Diffs";
import { Field, inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Sections } from "../../ui/Sections";
import { Audit } from "./Audit";

const historyQuery = () =>
  queryOptions({
    queryKey: ["history", "revisions"],
    queryFn: async ({ signal }) =>
      (await ask(api.GET("/api/v1/revisions", { params: { query: { limit: 500 } }, signal })))
        .items,
  });

const diffQuery = (from: number, to: number) =>
  queryOptions({
    queryKey: ["history", "diff", from, to],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/v1/diff", { params: { query: { from, to } }, signal })),
    enabled: from > 0 && to > 0,
  });

/** What was published, by whom and why; what differs; and the way back. */
export function HistoryPage() {
  const { get } = useUrl();
  const audits = useMay("read the audit");
  const show = audits && get("show") === "audit" ? "audit" : "revisions";
  return (
    <>
      <h1>History</h1>
      {audits && (
        <Sections
          label="Parts of the history"
          current={show}
          of={[
            ["revisions", "Revisions", "/history"],
            ["audit", "Audit", "/history?show=audit"],
          ]}
        />
      )}
      {show === "audit" ? <Audit /> : <Revisions />}
    </>
  );
}

function Revisions() {
  const history = useQuery(historyQuery());
  const { get, set, put } = useUrl();
  const now = useNow();
  if (history.isPending) return <Waiting what="the history" />;
  if (!history.data) return <Failure title="The history cannot be shown" problem={history.error} />;
  const list = history.data;
  const current = list[0];
  if (!current)
    return (
      <>
        <div className="mt-3">
          <Empty title="Nothing has been published yet">
            The first revision will stand here, with who published it and why.
          </Empty>
        </div>
      </>
    );
  const chosen = list.find((r) => r.number === Number(get("revision"))) ?? current;
  const before = Number(get("from")) || chosen.number - 1;
  return (
    <>
      <div className="mt-3 grid gap-x-10 gap-y-6 lg:grid-cols-[2fr_3fr]">
        <section aria-label="Revisions">
          <ul>
            {list.map((r) => (
              <li
                key={r.number}
                className={`border-b border-rule py-1.5 ${r.number === chosen.number ? "bg-accent-wash" : ""}`}
              >
                <button
                  type="button"
                  className="min-h-[24px] px-2 text-left"
                  aria-pressed={r.number === chosen.number}
                  onClick={() => put({ revision: String(r.number), from: "" })}
                >
                  <strong className="font-medium text-accent">Revision {r.number}</strong>:{" "}
                  {r.reason}
                </button>
                <p className="px-2 text-ink-2">
                  {r.number === current.number && "current; "}
                  {r.author},{" "}
                  <time dateTime={r.at ?? undefined} title={stamp(r.at)}>
                    {ago(r.at, now)}
                  </time>
                </p>
              </li>
            ))}
          </ul>
        </section>
        <Compared
          revision={chosen}
          before={before}
          all={list}
          onBefore={(v) => set("from", v)}
          isCurrent={chosen.number === current.number}
        />
      </div>
    </>
  );
}

type ComparedProps = {
  revision: Revision;
  before: number;
  all: Revision[];
  onBefore: (n: string) => void;
  isCurrent: boolean;
};

function Compared({ revision: r, before, all, onBefore, isCurrent }: ComparedProps) {
  const diff = useQuery(diffQuery(before, r.number));
  return (
    <section aria-labelledby="differs">
      <h2 id="differs">Revision {r.number}</h2>
      <p className="text-ink-2">
        Published by {r.author}, {stamp(r.at)}: {r.reason}.{" "}
        <Link to={`/endpoints?show=proof&revision=${r.number}`}>Has it arrived everywhere?</Link>
      </p>
      {before > 0 ? (
        <>
          <label className="mt-2 flex items-center gap-2">
            What differs from
            <select
              className={inputLook}
              value={String(before)}
              onChange={(e) => onBefore(e.target.value)}
            >
              {all
                .filter((x) => x.number !== r.number)
                .map((x) => (
                  <option key={x.number} value={x.number}>
                    revision {x.number}
                  </option>
                ))}
            </select>
          </label>
          {diff.isPending ? (
            <Waiting what="the difference" />
          ) : diff.error ? (
            <ProblemNotice title="The difference cannot be shown" error={diff.error} />
          ) : diff.data.total === 0 ? (
            <p className="mt-2">Nothing: the two are the same.</p>
          ) : (
            <>
              <p className="mt-2 text-ink-2">{count(diff.data.total, "object")}.</p>
              {isCurrent && before === r.number - 1 && <Next diffs={diff.data.diffs} />}
              {before === r.number - 1 ? (
                <UndoOne number={r.number} diffs={diff.data.diffs} />
              ) : (
                <Diffs list={diff.data.diffs} />
              )}
            </>
          )}
        </>
      ) : (
        <p className="mt-2">It is the first.</p>
      )}
      <Comments of="revision" id={r.number} />
      {!isCurrent && <Revert number={r.number} />}
    </section>
  );
}

/** What is usually done once queues are new: a page on each, and the next one. */
function Next({ diffs }: { diffs: Diff[] }) {
  const added = diffs.filter((d) => d.list === "queues" && d.kind === "added");
  if (added.length === 0) return null;
  return (
    <section aria-label="What comes next" className="my-2 border border-rule bg-wash px-3 py-2">
      <ul>
        {added.slice(0, 10).map((d) => (
          <li key={d.name} className="min-h-[24px]">
            <Link to={`/queues?queue=${encodeURIComponent(d.name)}`}>
              Print a test page on {d.name}
            </Link>
            , and see whether its chain holds
          </li>
        ))}
        {added.length > 10 && <li>and {count(added.length - 10, "queue")} more</li>}
        <li className="min-h-[24px]">
          <Link to="/estate?list=queues&new=yes">Make the next queue</Link>
        </li>
      </ul>
    </section>
  );
}

/** What a revision changed; each change can be taken back alone, in one's draft. */
function UndoOne({ number, diffs }: { number: number; diffs: Diff[] }) {
  const client = useQueryClient();
  const mayEdit = useMay("edit a draft");
  const undo = useMutation({
    mutationFn: (d: ShownDiff) =>
      ask(
        api.POST("/api/v1/revisions/{number}/undo", {
          params: { path: { number }, query: { list: d.list as "queues", object: d.name } },
        }),
      ),
    onSuccess: () => draftChanged(client),
  });
  return (
    <>
      {undo.error && <ProblemNotice title="It was not taken back" error={undo.error} />}
      {undo.isSuccess && (
        <p role="status" className="mt-1">
          <Mark of="yes">
            It is taken back in your <Link to="/draft">draft</Link>.
          </Mark>
        </p>
      )}
      <Diffs
        list={diffs}
        action={
          mayEdit
            ? (d) => (
                <Button
                  aria-label={`Take it back: ${d.name}`}
                  disabled={undo.isPending}
                  onClick={() => undo.mutate(d)}
                >
                  Take it back
                </Button>
              )
            : undefined
        }
      />
    </>
  );
}

function Revert({ number }: { number: number }) {
  const client = useQueryClient();
  const [reason, setReason] = useState("");
  const revert = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/v1/revisions/{number}/revert", {
          params: { path: { number } },
          body: { reason },
        }),
      ),
    onSuccess: () => client.invalidateQueries(),
  });
  return (
    <form
      className="mt-4 flex flex-wrap items-end gap-3 border-t border-rule pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        revert.mutate();
      }}
    >
      <Field
        label={`Why go back to revision ${number}`}
        value={reason}
        placeholder="in a few words"
        onChange={(e) => setReason(e.target.value)}
        className="min-w-64 flex-1"
      />
      <Button type="submit" disabled={!reason.trim() || revert.isPending}>
        Make it current again
      </Button>
      {revert.data && (
        <p role="status">
          {revert.data.unchanged
            ? "The estate is so already."
            : `Revision ${revert.data.revision.number} is published.`}
        </p>
      )}
      {revert.error && <ProblemNotice title="Nothing was published" error={revert.error} />}
    </form>
  );
}
