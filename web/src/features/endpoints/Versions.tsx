import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, askAll } from "../../api/client";
import type { components } from "../../api/schema";
import { sitesQuery } from "../../api/access";
import { Form } from "../../parts/Form";
import { useForm } from "../../parts/useForm";
import { useMay } from "../../parts/useMay";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { ago, stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Field } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Failure, Waiting } from "../../ui/Notice";
import { Select } from "../../ui/Select";
import { Table } from "../../ui/Table";
import { HandedOut } from "./HandedOut";

type Standing = components["schemas"]["UpdateStanding"];
type Act = components["schemas"]["UpdateAct"]["do"];

const standingQuery = () =>
  queryOptions({
    queryKey: ["agent-update"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/agent-update", { signal })),
    refetchInterval: 5000,
  });
const machinesQuery = () =>
  queryOptions({
    queryKey: ["agent-update", "machines"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/agent-update/machines", { params: { query }, signal })),
    refetchInterval: 5000,
  });
const packagesQuery = () =>
  queryOptions({
    queryKey: ["agent-packages"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/agent-packages", { params: { query }, signal })),
  });

/** Which versions of the agent run where, and bringing machines to another, a share of them first. */
export function Versions() {
  const standing = useQuery(standingQuery());
  const packages = useQuery(packagesQuery());
  const may = useMay("bring agents to another version");
  if (standing.isPending || packages.isPending) return <Waiting what="the versions" />;
  if (!standing.data || !packages.data)
    return (
      <Failure title="The versions cannot be shown" problem={(standing.error ?? packages.error)!} />
    );
  const versions = [...new Set(packages.data.map((p) => p.version))];
  const order = standing.data.order;
  return (
    <div className="mt-3 grid max-w-[80rem] gap-8 lg:grid-cols-[1fr_24rem]">
      <div className="flex flex-col gap-6">
        {order && <Order standing={standing.data} may={may} />}
        <Machines standing={standing.data} />
        {order && <Records />}
      </div>
      <div className="flex flex-col gap-8">
        {may && (!order || order.state === "ended") && <Begin versions={versions} />}
        <HandedOut list={packages.data} may={may} />
      </div>
    </div>
  );
}

const does: readonly [Act, string, readonly string[]][] = [
  ["pause", "Pause it", ["running"]],
  ["go-on", "Go on", ["paused"]],
  ["back", "Have them go back", ["running", "paused"]],
  ["end", "End it", ["running", "paused", "back"]],
];

function Order({ standing, may }: { standing: Standing; may: boolean }) {
  const client = useQueryClient();
  const act = useMutation({
    mutationFn: (what: Act) => ask(api.POST("/api/v1/agent-update/act", { body: { do: what } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["agent-update"] }),
  });
  const o = standing.order!;
  const c = standing.counts;
  const next = o.shares?.[o.stage + 1];
  return (
    <section aria-label="The update">
      <h2>
        To version {o.version}
        {o.site ? ` at ${o.site}` : ""}
      </h2>
      <p>
        {o.state === "running" ? (
          <>
            Stage {o.stage + 1} of {o.shares?.length}: {o.shares?.[o.stage]} % of the machines
            {next && (
              <>
                ; {next} % not before{" "}
                {stamp(new Date(Date.parse(o.stage_at) + o.each * 1000).toISOString())}
              </>
            )}
            .
          </>
        ) : o.state === "paused" ? (
          <Mark of="no">Paused: {o.why}</Mark>
        ) : o.state === "back" ? (
          <>Those that came by it go back, {o.why}.</>
        ) : (
          <>Ended, {o.why}.</>
        )}{" "}
        Begun by {o.author}, {stamp(o.at)}.
      </p>
      <p>
        {count(c.came, "machine")} came, {c.failed} failed, {c.silent} silent, {c.begun} under way,{" "}
        {c.back} went back. It pauses when more than {o.faults} fail.
      </p>
      {may && (
        <p className="mt-2 flex gap-2">
          {does
            .filter(([, , states]) => states.includes(o.state))
            .map(([what, text]) => (
              <Button key={what} disabled={act.isPending} onClick={() => act.mutate(what)}>
                {text}
              </Button>
            ))}
        </p>
      )}
      {act.error && <ProblemNotice title="It goes on as before" error={act.error} />}
    </section>
  );
}

function Machines({ standing }: { standing: Standing }) {
  const list = standing.machines ?? [];
  return (
    <section aria-label="Machines by version">
      <h2>Machines by version</h2>
      {list.length === 0 ? (
        <p className="text-ink-2">No endpoint has reported yet.</p>
      ) : (
        <Table
          label="Machines by version"
          heads={[
            "Version",
            "On",
            "Installed from",
            "Machines",
            standing.version ? `To ${standing.version}` : "",
          ]}
        >
          {list.map((m) => (
            <tr
              key={m.version + m.platform + m.updates}
              className="border-b border-rule align-baseline"
            >
              <th scope="row" className="px-2 py-1 text-left font-medium">
                {m.version}
              </th>
              <td className="px-2 py-1">{m.platform}</td>
              <td className="px-2 py-1">
                {!m.updates
                  ? "unknown"
                  : m.updates === "left"
                    ? "device management"
                    : `.${m.updates}`}
              </td>
              <td className="px-2 py-1">{m.machines}</td>
              <td className="px-2 py-1">
                {m.suits ? (
                  <Mark of={m.way_back ? "yes" : "warning"}>
                    {m.way_back
                      ? "can be brought there"
                      : `can be brought there; no way back, the package of ${m.version} is missing`}
                  </Mark>
                ) : (
                  (m.why ?? "")
                )}
              </td>
            </tr>
          ))}
        </Table>
      )}
    </section>
  );
}

const outcomes = {
  begun: "installs it",
  came: "came",
  failed: "failed",
  silent: "says nothing",
  back: "went back",
} as const;

function Records() {
  const now = useNow();
  const list = useQuery(machinesQuery());
  if (!list.data || list.data.length === 0) return null;
  return (
    <section aria-label="What came of them">
      <h2>What came of them</h2>
      <Table label="What came of them" heads={["Machine", "Had", "What came of it", "Since"]}>
        {list.data.map((r) => (
          <tr key={r.machine} className="border-b border-rule align-baseline">
            <th scope="row" className="px-2 py-1 text-left font-medium">
              {r.machine}
            </th>
            <td className="px-2 py-1">{r.former}</td>
            <td className="px-2 py-1">
              {r.state === "failed" || r.state === "silent" ? (
                <Mark of="no">
                  {outcomes[r.state]}
                  {r.says ? `: ${r.says}` : ""}
                </Mark>
              ) : r.state === "came" ? (
                <Mark of="yes">{outcomes.came}</Mark>
              ) : (
                outcomes[r.state]
              )}
            </td>
            <td className="px-2 py-1">{ago(r.at, now)}</td>
          </tr>
        ))}
      </Table>
    </section>
  );
}

function Begin({ versions }: { versions: string[] }) {
  const client = useQueryClient();
  const sites = useQuery(sitesQuery());
  const form = useForm({
    start: { version: versions[0] ?? "", site: "", shares: "5, 25, 100", hours: "4", faults: "0" },
    send: ({ version, site, shares, hours, faults }) =>
      ask(
        api.POST("/api/v1/agent-update", {
          body: {
            version,
            shares: shares
              .split(/[\s,;]+/)
              .filter(Boolean)
              .map(Number),
            each: Math.round(Number(hours) * 3600),
            faults: Number(faults),
            ...(site && { site }),
          },
        }),
      ),
    onDone: () => client.invalidateQueries({ queryKey: ["agent-update"] }),
  });
  if (versions.length === 0) return null;
  return (
    <Form
      label="Bring machines to a version"
      failed="No machine is told"
      form={form}
      foot={
        <Button kind="main" type="submit" disabled={form.busy}>
          Begin
        </Button>
      }
    >
      <h2>Bring machines to a version</h2>
      <Select
        label="Version"
        value={form.value.version}
        options={versions.map((v) => ({ value: v, label: v }))}
        onChange={(version) => form.change({ version })}
      />
      <Select
        label="Site"
        value={form.value.site}
        all="all sites"
        options={(sites.data ?? []).map((s) => ({ value: s.path, label: s.title || s.path }))}
        onChange={(site) => form.change({ site })}
      />
      <Field
        label="Stages"
        {...form.text("shares")}
        hint="Percent of the machines, ascending to 100."
      />
      <Field
        label="Hours that each is watched"
        type="number"
        min={0.1}
        step="any"
        {...form.text("hours")}
      />
      <Field
        label="Machines that may fail"
        type="number"
        min={0}
        {...form.text("faults")}
        hint="With one more, nobody else is told."
      />
    </Form>
  );
}
