import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, askAll, type FailoverTest, type ServerView } from "../../api/client";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago, stamp } from "../../lib/time";
import { useMay } from "../../parts/useMay";
import { useNow } from "../../lib/useNow";
import { list } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Empty, Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";

const failoverTestsQuery = () =>
  queryOptions({
    queryKey: ["duties", "failover-tests"],
    queryFn: async ({ signal }) =>
      await askAll((query) => api.GET("/api/v1/failover-tests", { params: { query }, signal })),
    refetchInterval: (q) => (q.state.data?.some((e) => !e.ended) ? 2000 : 30_000),
  });

const phases: Record<FailoverTest["phase"], string> = {
  moving: "people are moving off it",
  out: "it is out of duty",
  returning: "its people are coming back",
  over: "over",
};

/** Failing on purpose: a server out of duty for a while, with a report of what was seen. */
export function FailoverTests({ servers }: { servers: ServerView[] }) {
  const may = useMay("take servers out of duty");
  const all = useQuery(failoverTestsQuery());
  if (all.isPending) return <Waiting what="the failover tests" />;
  if (!all.data) return <Failure title="The failover tests cannot be shown" problem={all.error} />;
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-[1fr_24rem]">
      <section aria-label="Failover tests" className="flex flex-col gap-4">
        {all.data.length === 0 && (
          <Empty title="There has been no failover test">
            Take a server out of duty for some minutes while you watch: who moves and how fast, who
            cannot and why, and whether everybody comes back. Better now than when it dies.
          </Empty>
        )}
        {all.data.map((e) => (
          <OneFailoverTest key={e.id} of={e} may={may} />
        ))}
      </section>
      {may && <Begin servers={servers.filter((s) => s.in_estate && s.duty === "serving")} />}
    </div>
  );
}

function OneFailoverTest({ of: e, may }: { of: FailoverTest; may: boolean }) {
  const client = useQueryClient();
  const now = useNow();
  const stop = useMutation({
    mutationFn: () =>
      ask(api.POST("/api/v1/failover-tests/{id}/stop", { params: { path: { id: e.id } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["duties"] }),
  });
  return (
    <article
      aria-label={`Failover test ${e.id}`}
      className="border border-rule-strong bg-sheet px-4 py-3"
    >
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h3 className="font-medium">
          <Link to={`/servers?server=${encodeURIComponent(e.server)}`}>{e.server}</Link>
        </h3>
        <Mark of={e.good === null ? (e.ended ? "idle" : "paused") : e.good ? "yes" : "warning"}>
          {e.good === null
            ? e.ended
              ? "did not begin"
              : `${phases[e.phase]}; it returns ${stamp(e.until)}`
            : e.good
              ? "as it should"
              : "something to mend"}
        </Mark>
        <span className="text-ink-2">
          <time dateTime={e.begun} title={stamp(e.begun)}>
            {ago(e.begun, now)}
          </time>{" "}
          by {e.author}: {e.reason}
        </span>
      </div>
      {!e.ended && (
        <p role="status">
          {e.steps.at(-1)?.leading ?? 0} of {e.expected.endpoints} endpoints lead to it now. The
          rehearsal said: {e.expected.moves} of the people and machines that are known go another
          way, {e.expected.stranded} have a queue that nothing else serves.
        </p>
      )}
      {e.says.length > 0 && (
        <ul className="list-disc pl-5">
          {e.says.map((s) => (
            <li key={s}>{s}.</li>
          ))}
        </ul>
      )}
      {e.steps.length > 1 && e.expected.endpoints > 0 && <Course of={e} />}
      {!e.ended && e.stuck.length > 0 && (
        <ul className="list-disc pl-5">
          {e.stuck.map((s) => (
            <li key={s.machine}>
              <Link to={`/endpoints?endpoint=${encodeURIComponent(s.machine)}`}>{s.machine}</Link>:{" "}
              {s.says}
            </li>
          ))}
        </ul>
      )}
      {stop.error && <ProblemNotice title="It goes on" error={stop.error} />}
      {may && !e.ended && (
        <div className="mt-2">
          <Button disabled={stop.isPending} onClick={() => stop.mutate()}>
            End it now: return the server at once
          </Button>
        </div>
      )}
    </article>
  );
}

/** How many endpoints led to the server over the failover test, as steps. */
function Course({ of: e }: { of: FailoverTest }) {
  const first = new Date(e.begun).getTime();
  const end = Math.max(new Date(e.ended ?? e.steps.at(-1)?.at ?? e.begun).getTime(), first + 1);
  const x = (at: string) => ((new Date(at).getTime() - first) / (end - first)) * 100;
  const y = (n: number) => 38 - (Math.min(n, e.expected.endpoints) / e.expected.endpoints) * 36;
  const points: string[] = [];
  e.steps.forEach((s, i) => {
    const before = e.steps[i - 1];
    if (before) points.push(`${x(s.at)},${y(before.leading)}`);
    points.push(`${x(s.at)},${y(s.leading)}`);
  });
  const least = Math.min(...e.steps.map((s) => s.leading));
  return (
    <figure className="mt-2">
      <svg
        viewBox="0 0 100 40"
        preserveAspectRatio="none"
        className="h-12 w-full border border-rule bg-wash text-accent"
        role="img"
        aria-label={`${e.expected.endpoints} endpoints led to it at first, ${least} at the least, ${e.steps.at(-1)?.leading ?? 0} at the end`}
      >
        <polyline
          points={points.join(" ")}
          fill="none"
          stroke="currentColor"
          strokeWidth="1.6"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
      <figcaption className="flex justify-between text-ink-2">
        <span>
          {stamp(e.begun)}: {e.expected.endpoints} led to it
        </span>
        <span>
          {e.ended ? stamp(e.ended) : "now"}: {e.steps.at(-1)?.leading ?? 0}
        </span>
      </figcaption>
    </figure>
  );
}

const lengths = [
  { value: "5", label: "5 minutes" },
  { value: "10", label: "10 minutes" },
  { value: "30", label: "30 minutes" },
  { value: "60", label: "1 hour" },
];

function Begin({ servers }: { servers: ServerView[] }) {
  const client = useQueryClient();
  const form = useForm({
    start: { name: "", reason: "", minutes: "10" },
    send: ({ name, reason, minutes }) =>
      ask(
        api.POST("/api/v1/servers/{name}/failover-tests", {
          params: { path: { name } },
          body: { reason: reason.trim(), minutes: Number(minutes) },
        }),
      ),
    onDone: async () => {
      await client.invalidateQueries({ queryKey: ["duties"] });
      await client.invalidateQueries({ queryKey: ["stock"] });
    },
  });
  const { name, reason, minutes } = form.value;
  const lacks = [...(name ? [] : ["a server"]), ...(reason.trim() ? [] : ["a reason"])];
  return (
    <Form
      label="Begin a failover test"
      failed="It did not begin"
      form={form}
      foot={
        <>
          <Button kind="main" type="submit" disabled={form.busy || lacks.length > 0}>
            Take it out of duty, and watch
          </Button>
          {lacks.length > 0 && <p className="text-ink-2">It lacks {list(lacks)}.</p>}
          <p className="text-ink-2">
            Everybody whom another server serves is led there; a queue that nothing else serves is
            kept, and prints at the end. The server returns by itself. Whom it would concern is
            rehearsed first and stands in the report.
          </p>
        </>
      }
    >
      <h2>Begin a failover test</h2>
      <Select
        label="Server"
        value={name}
        all="choose one"
        options={servers.map((s) => ({
          value: s.name,
          label: s.sets.length > 0 ? `${s.name}, in ${s.sets.join(", ")}` : `${s.name}, in no set`,
        }))}
        onChange={(name) => form.change({ name })}
      />
      <Field label="Why" {...form.text("reason")} placeholder="such as: spring test" />
      <Select
        label="For"
        value={minutes}
        all=""
        options={lengths}
        onChange={(minutes) => form.change({ minutes })}
      />
    </Form>
  );
}
