import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import {
  api,
  ask,
  type DeviceView,
  type EstateDevice,
  type StockDifference,
} from "../../api/client";
import { draftChanged, sendEdits } from "../../api/drafts";
import { Form } from "../../parts/Form";
import { LineTest } from "../../parts/LineTest";
import { pastQuery } from "../../parts/Past";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { useForm } from "../../parts/useForm";
import { stamp } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { among, keysOf } from "../../lib/among";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Fact, Facts } from "../../ui/Facts";
import { Field, inputLook } from "../../ui/Field";
import { Mark } from "../../ui/Mark";
import { Differences } from "../../parts/Differences";
import { hostOf, stands, stateMarks, stateWords } from "../../parts/stock";
import { Probed } from "../../parts/Probed";
import { TestPage } from "../../parts/TestPage";

const protocols = { ipp: "IPP", snmp: "SNMP", raw: "raw port" };
const answers = { yes: "yes", no: "no", unproven: "silent" };
const keptBy = {
  reservation: "a reservation for its hardware address",
  static: "a setting on the device",
  unknown: "nobody knows what",
};

type DeviceSheetProps = {
  device: DeviceView;
  drafted: EstateDevice | undefined;
  onAdopt: () => void;
  onGone: () => void;
};

/** All about one device: what it told and how, by what it is recognised, what is not as written. */
export function DeviceSheet({ device: d, drafted, onAdopt, onGone }: DeviceSheetProps) {
  const client = useQueryClient();
  const now = useNow();
  const past = useQuery({ ...pastQuery("devices", d.name), enabled: d.in_estate });
  const keptSince = past.data?.find((p) => p.keys.includes("address_kept_by"))?.revision;
  const path = { params: { path: { name: d.name } } };
  const fresh = () => client.invalidateQueries({ queryKey: ["stock"] });
  const read = useMutation({
    mutationFn: () => ask(api.POST("/api/v1/stock/devices/{name}/read", path)),
    onSettled: fresh,
  });
  const recognise = useMutation({
    mutationFn: async () => {
      await ask(api.POST("/api/v1/stock/devices/{name}/recognise", path));
      if (drafted && d.reading?.mac && drafted.mac !== d.reading.mac)
        await sendEdits([
          { list: "devices", name: d.name, object: { ...drafted, mac: d.reading.mac } },
        ]);
    },
    onSuccess: async () => {
      await fresh();
      await draftChanged(client);
    },
  });
  const takeOver = useMutation({
    mutationFn: (uri: string) =>
      sendEdits([{ list: "devices", name: d.name, object: { ...drafted, name: d.name, uri } }]),
    onSuccess: () => draftChanged(client),
  });
  const forget = useMutation({
    mutationFn: () => ask(api.DELETE("/api/v1/stock/devices/{name}", path)),
    onSuccess: async () => {
      await fresh();
      if (!d.in_estate) onGone();
    },
  });
  const r = d.reading;
  const how = stands(d.check, now, d.machine);
  const action = (x: StockDifference) => {
    if (x.kind === "moved" && x.to && drafted) {
      const there = drafted.uri === x.to;
      return (
        <div className="mt-1 pl-5">
          <Button
            disabled={there || takeOver.isPending}
            onClick={() => takeOver.mutate(x.to ?? "")}
          >
            {there ? "The draft has the new address" : `Take ${hostOf(x.to)} over, in the draft`}
          </Button>
        </div>
      );
    }
    if (x.kind === "swapped")
      return (
        <div className="mt-1 pl-5">
          <Button disabled={recognise.isPending} onClick={() => recognise.mutate()}>
            It was exchanged on purpose: this is the one now
          </Button>
        </div>
      );
    return null;
  };
  return (
    <div className="flex flex-col gap-5">
      <div>
        <p>
          <Mark of={how.mark}>
            {how.says}
            {d.check && !d.check.ok && d.check.fix && `; ${d.check.fix}`}.
          </Mark>
        </p>
        <div className="mt-2 flex flex-wrap items-start gap-2">
          {!d.machine && (
            <>
              <Button disabled={read.isPending} onClick={() => read.mutate()}>
                {read.isPending ? "Asking…" : "Question it now"}
              </Button>
              <TestPage what={{ kind: "device", name: d.name }} />
            </>
          )}
          {d.queues.length === 0 && <Button onClick={onAdopt}>Make a queue of it</Button>}
          {d.registered && (
            <Button onClick={() => forget.mutate()}>Forget what was registered</Button>
          )}
        </div>
        {read.error && <ProblemNotice title="It was not read" error={read.error} />}
        {recognise.error && <ProblemNotice title="It was not taken over" error={recognise.error} />}
        {takeOver.error && (
          <ProblemNotice title="The draft was not changed" error={takeOver.error} />
        )}
      </div>
      <Differences list={d.differs} action={action} />
      <section aria-label="What it told">
        <h3 className="mb-1 font-medium">What it told{r && `, ${stamp(r.at)}`}</h3>
        {!r && <p className="text-ink-2">Nothing yet.</p>}
        {r && (
          <Facts>
            <Fact name="Asked over">
              <ul>
                {r.answers.map((a) => (
                  <li key={a.protocol}>
                    <Mark of={answers[a.result]}>
                      <strong className="font-medium">
                        {protocols[a.protocol]}, {a.result}:
                      </strong>{" "}
                      {a.says}
                    </Mark>
                  </li>
                ))}
              </ul>
            </Fact>
            <Fact name="State">
              <Mark of={stateMarks[r.state] ?? "silent"}>{stateWords(r)}</Mark>
              {r.message && `: ${r.message}`}
            </Fact>
            <Fact name="Model">
              {r.model || "not told"}
              {r.firmware && <>, firmware {r.firmware}</>}{" "}
              {r.model && <Copy text={r.model} what="the model" />}
            </Fact>
            <Fact name="Can">
              {[
                r.colour === undefined ? "" : r.colour ? "colour" : "monochrome only",
                r.two_sided === undefined ? "" : r.two_sided ? "two-sided" : "one-sided only",
                d.driverless ? "driverless" : "needs a driver",
              ]
                .filter(Boolean)
                .join(", ")}
            </Fact>
            {r.formats && <Fact name="Takes">{r.formats.join(", ")}</Fact>}
            {r.languages && <Fact name="Page languages">{r.languages.join(", ")}</Fact>}
            {r.supported?.media && <Fact name="Paper">{r.supported.media.join(", ")}</Fact>}
            {r.trays && <Fact name="Trays">{r.trays.join(", ")}</Fact>}
            {r.dots && <Fact name="Resolution">{r.dots.join(", ")}</Fact>}
            {r.supplies && (
              <Fact name="Supplies">
                <ul>
                  {r.supplies.map((s) => (
                    <li key={s.name} className="flex items-center gap-2">
                      <span className="w-32">{s.name}</span>
                      {s.level === null ? (
                        "not known"
                      ) : (
                        <>
                          <span
                            aria-hidden="true"
                            className="h-2 w-32 border border-rule-strong bg-sheet"
                          >
                            <span
                              className={`block h-full ${s.level < 15 ? "bg-warn" : "bg-ink-2"}`}
                              style={{ width: `${s.level}%` }}
                            />
                          </span>
                          <span className="figure">{s.level} %</span>
                          {s.level < 15 && <Mark of="warning">low</Mark>}
                        </>
                      )}
                    </li>
                  ))}
                </ul>
              </Fact>
            )}
            {r.pages !== undefined && r.pages > 0 && <Fact name="Pages so far">{r.pages}</Fact>}
            {r.location && <Fact name="Says it is at">{r.location}</Fact>}
          </Facts>
        )}
      </section>
      <section aria-label="What is written of it">
        <h3 className="mb-1 font-medium">What is written of it</h3>
        {d.in_estate && (
          <p className="mb-1">
            <Link to={`/estate?list=devices&open=${encodeURIComponent(d.name)}`}>Change it</Link>
          </p>
        )}
        <Facts>
          <Probed kind="device" name={d.name} />
          <Fact name="Address">
            <span className="font-mono text-[0.93em]">{d.uri}</span>{" "}
            <Copy text={d.uri} what="the address" />
          </Fact>
          {d.machine && (
            <Fact name="Plugged into">
              <Link to={`/endpoints?endpoint=${encodeURIComponent(d.machine)}`}>{d.machine}</Link>,
              which alone reaches it
            </Fact>
          )}
          <Fact name="The way there">
            {d.machine ? "over no network" : <LineTest kind="device" names={[d.name]} />}
          </Fact>
          <Fact name="Kept by">
            {keptBy[d.address_kept_by ?? "unknown"]}
            {keptSince && d.address_kept_by !== "unknown" && (
              <span className="block text-ink-2">
                so said {keptSince.author}, {stamp(keptSince.at)}, revision {keptSince.number}
              </span>
            )}
          </Fact>
          <Fact name="Recognised by">
            {[
              ["serial", d.identity.serial],
              ["hardware address", d.identity.mac],
              ["UUID", d.identity.uuid],
            ]
              .filter(([, v]) => v)
              .map(([k, v]) => (
                <span key={k} className="block">
                  {k} <span className="font-mono text-[0.93em]">{v}</span>{" "}
                  <Copy text={v ?? ""} what={`the ${k}`} />
                </span>
              ))}
            {!d.identity.serial &&
              !d.identity.mac &&
              !d.identity.uuid &&
              "nothing yet: were it moved, nobody would know"}
          </Fact>
          {d.location && (
            <Fact name="Location">
              <Link to={`/site?site=${encodeURIComponent(d.location.split("/")[0] ?? "")}`}>
                {d.location}
              </Link>
            </Fact>
          )}
          <Fact name="Queues">
            {d.queues.length > 0 ? (
              d.queues.map((q, i) => (
                <span key={q}>
                  {i > 0 && ", "}
                  <Link to={`/queues?queue=${encodeURIComponent(q)}`}>{q}</Link>
                </span>
              ))
            ) : (
              <Mark of="warning">none: nobody prints here</Mark>
            )}
            {d.queues.length > 1 && " (several queues on one device)"}
          </Fact>
          <Fact name="In the estate">
            {d.in_estate ? "yes" : "no: it is watched because it was registered"}
          </Fact>
          {d.note && <Fact name="Note">{d.note}</Fact>}
        </Facts>
        {drafted && <EditDevice key={JSON.stringify(drafted)} device={drafted} />}
      </section>
    </div>
  );
}

/** Changes what the estate says of a device, in the draft; every path and queue follows its address. */
function EditDevice({ device }: { device: EstateDevice }) {
  const client = useQueryClient();
  const form = useForm({
    start: device,
    keeps: true,
    send: (d) => {
      const object = {
        ...d,
        uri: d.uri.trim(),
        location: d.location?.trim() ?? "",
        mac: d.mac?.trim() ?? "",
      };
      return sendEdits([{ list: "devices", name: d.name, object }]);
    },
    onDone: () => draftChanged(client),
  });
  return (
    <details className="mt-3">
      <summary className="min-h-[24px] cursor-pointer font-medium">Change it, in the draft</summary>
      <Form
        label="What the estate says of the device"
        failed="The draft was not changed"
        form={form}
        className="mt-2 gap-3"
        foot={
          <p>
            <Button type="submit" disabled={form.busy}>
              Keep in the draft
            </Button>
          </p>
        }
      >
        <div className="grid grid-cols-2 gap-3">
          <Field label="Title" {...form.text("title")} />
          <Field label="Location" {...form.text("location")} />
          <Field label="Address" hint="Every path to it follows." {...form.text("uri")} />
          <Field label="Hardware address" hint="In any notation." {...form.text("mac")} />
          <label className="flex flex-col gap-1 font-medium">
            Its address is kept by
            <select
              className={`${inputLook} font-normal`}
              value={form.value.address_kept_by ?? "unknown"}
              onChange={(e) =>
                form.change({
                  address_kept_by: among(keysOf(keptBy), e.target.value) ?? "unknown",
                })
              }
            >
              {Object.entries(keptBy).map(([k, v]) => (
                <option key={k} value={k}>
                  {v}
                </option>
              ))}
            </select>
          </label>
          <Field label="Note" {...form.text("note")} />
        </div>
      </Form>
    </details>
  );
}
