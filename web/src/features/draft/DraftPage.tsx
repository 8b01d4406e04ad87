import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useLocation } from "react-router";
import { api, ask, type Draft } from "../../api/client";
import { draftChanged, draftQuery, sendEdits } from "../../api/drafts";
import { Comments } from "../../parts/Comments";
import { FindingList } from "../../parts/FindingList";
import { Form } from "../../parts/Form";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useForm } from "../../parts/useForm";
import { useMay } from "../../parts/useMay";
import { useLeadOn } from "../../lib/useLeadOn";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Diffs } from "../../ui/Diffs";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { OtherDrafts } from "./OtherDrafts";
import { Proposals, Propose } from "./Proposals";
import { broughtQuery } from "./queries";
import { RehearsalSection } from "./RehearsalSection";
import { WaitingDrafts } from "./Waiting";

/** What is decided and not yet published: its changes, its effect, and publishing it. */
export function DraftPage() {
  const draft = useQuery(draftQuery());
  const mayTake = useMay("manage tokens"); // as whoever looks after all sites may
  const { hash } = useLocation();
  const there = draft.data !== undefined;
  useEffect(() => {
    if (there) document.getElementById(hash.slice(1))?.scrollIntoView();
  }, [hash, there]);
  if (draft.isPending) return <Waiting what="the draft" />;
  if (!draft.data) return <Failure title="The draft cannot be shown" problem={draft.error} />;
  const d = draft.data;
  return (
    <>
      <h1>Your draft</h1>
      {d.total === 0 ? (
        <div className="mt-3">
          <Empty title="It is empty">
            Change what is decided under <Link to="/estate">Estate</Link> and{" "}
            <Link to="/grants">Grants</Link>, or put a file into it with{" "}
            <code className="font-mono">cirque estate apply FILE</code>. Nothing reaches people
            until it is published. What a failure would mean can be rehearsed below all the same.
          </Empty>
        </div>
      ) : (
        <p className="mt-1 text-ink-2">
          {count(d.total, "object")} of revision {d.base} {d.total === 1 ? "is" : "are"} changed
          {d.base !== d.current &&
            `; revision ${d.current} is current by now, and publishing merges`}
          .
        </p>
      )}
      {d.proposed_at && (
        <p className="mt-1">
          It is proposed to the administrators of all sites: {d.proposed_why}. Changing it takes
          that back.
        </p>
      )}
      {mayTake && <Proposals empty={d.total === 0} />}
      <WaitingDrafts mayTake={mayTake} />
      <OtherDrafts empty={d.total === 0} mayTake={mayTake} />
      <div className="mt-4 grid gap-x-10 gap-y-6 lg:grid-cols-[2fr_3fr]">
        {d.total > 0 && <Changes draft={d} />}
        <div className={`flex flex-col gap-6 ${d.total === 0 ? "lg:col-span-2" : ""}`}>
          <RehearsalSection draft={d} />
          {d.total > 0 && <Publish draft={d} />}
        </div>
      </div>
    </>
  );
}

function Changes({ draft: d }: { draft: Draft }) {
  const client = useQueryClient();
  const onSuccess = () => draftChanged(client);
  const undo = useMutation({
    mutationFn: (r: { list: string; name: string }) =>
      sendEdits([{ list: r.list as "grants", name: r.name, undo: true }]),
    onSuccess,
  });
  const discard = useMutation({ mutationFn: () => ask(api.DELETE("/api/v1/draft")), onSuccess });
  const [sure, setSure] = useState(false);
  return (
    <section aria-labelledby="changes">
      <h2 id="changes">Changes</h2>
      {d.conflicts.map((c, i) => (
        <div key={i} role="alert" className="my-2 border-l-2 border-bad bg-bad-wash px-3 py-2">
          <p className="font-medium">{c.says}.</p>
          {c.mine && (
            <>
              <p className="text-ink-2">Yours:</p>
              <Diffs list={[c.mine]} />
            </>
          )}
          {c.theirs && (
            <>
              <p className="text-ink-2">Published since:</p>
              <Diffs list={[c.theirs]} />
            </>
          )}
          <p>Undo yours, or make it again on top of theirs.</p>
        </div>
      ))}
      <Diffs
        list={d.changes}
        action={(x) => (
          <Button aria-label={`Undo ${x.name}`} onClick={() => undo.mutate(x)}>
            Undo
          </Button>
        )}
      />
      {d.total > d.changes.length && (
        <p className="mt-2 text-ink-2">{d.total - d.changes.length} more are not shown.</p>
      )}
      {undo.error && <ProblemNotice title="It cannot be undone by itself" error={undo.error} />}
      <p className="mt-3 flex items-center gap-3">
        {sure ? (
          <>
            <Button onClick={() => discard.mutate()}>Throw {count(d.total, "change")} away</Button>
            <Button onClick={() => setSure(false)}>Keep them</Button>
          </>
        ) : (
          <Button onClick={() => setSure(true)}>Discard the draft…</Button>
        )}
      </p>
      <Comments of="draft" id={d.id} />
    </section>
  );
}

function Publish({ draft: d }: { draft: Draft }) {
  const client = useQueryClient();
  const leadOn = useLeadOn();
  const form = useForm({
    start: { reason: "", at: "" },
    keeps: true,
    send: async ({ reason, at }) => {
      const body = { reason, version: d.version, break_promises: broken > 0 && !unseen };
      if (at)
        await ask(
          api.POST("/api/v1/draft/publish-at", {
            body: { ...body, at: new Date(at).toISOString() },
          }),
        );
      else await ask(api.POST("/api/v1/draft/publish", { body }));
      return at;
    },
    onDone: async (at) => {
      await client.invalidateQueries();
      if (!at) leadOn("/history");
    },
  });
  const lacks = !form.value.reason.trim();
  const error = form.error();
  const check = useQuery(broughtQuery(d));
  const brought = check.data?.new ?? [];
  const [seen, setSeen] = useState(0); // the version whose findings were seen
  const unseen = brought.length > 0 && seen !== d.version;
  const broken = brought.filter((f) => f.at.list === "promises" && f.severity === "warning").length;
  return (
    <section aria-labelledby="publish">
      <h2 id="publish">Publish</h2>
      <p className="mt-1 text-ink-2">
        It reaches connected endpoints within seconds, and can be reverted from the history.
      </p>
      <Form
        label="Publish the draft"
        failed="Nothing was published"
        form={form}
        className="mt-2 gap-3"
        foot={null}
      >
        {brought.length > 0 && (
          <div className="flex flex-col gap-1">
            <p>
              It brings about {count(brought.length, "finding")}
              {broken > 0 ? (
                <strong className="font-medium">, and breaks {count(broken, "promise")}</strong>
              ) : (
                ", which stop nothing"
              )}
              :
            </p>
            <FindingList label="What it brings about" findings={brought} />
            <label className="flex min-h-[24px] items-center gap-2">
              <input
                type="checkbox"
                checked={!unseen}
                onChange={(e) => setSeen(e.target.checked ? d.version : 0)}
              />
              {broken > 0
                ? `Break ${broken === 1 ? "it" : "them"}, and publish all the same`
                : "Publish all the same"}
            </label>
          </div>
        )}
        <div className="flex flex-wrap items-end gap-3">
          <Field
            label="Why"
            placeholder="in a few words"
            className="min-w-72 flex-1"
            {...form.text("reason")}
          />
          <Field
            label="At, by this computer's clock (empty: now)"
            type="datetime-local"
            {...form.text("at")}
          />
          <Button
            kind="main"
            type="submit"
            disabled={lacks || check.isPending || unseen || d.conflicts.length > 0 || form.busy}
          >
            {form.value.at ? "Publish then" : `Publish ${count(d.total, "change")}`}
          </Button>
        </div>
      </Form>
      {error && <Propose draft={d} error={error} reason={form.value.reason} />}
      {d.conflicts.length > 0 ? (
        <p className="mt-1">
          <Mark of="no">Mend the conflicts first.</Mark>
        </p>
      ) : (
        (lacks || unseen) && (
          <p className="mt-1 text-ink-2">
            Still missing:{" "}
            {[lacks && "a reason", unseen && "a look at what it brings about"]
              .filter(Boolean)
              .join(", ")}
            .
          </p>
        )
      )}
    </section>
  );
}
