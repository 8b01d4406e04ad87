import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask } from "../../api/client";
import { draftChanged } from "../../api/drafts";
import { serversQuery } from "../../api/stock";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { Select } from "../../ui/Select";
import { MovedList } from "./MovedList";

type What = "next" | "back" | "end";

/** Leading a server's queues elsewhere wave by wave: the old path stays behind until nobody needs it. */
export function Waves({ server }: { server: string }) {
  const client = useQueryClient();
  const servers = useQuery(serversQuery());
  const [to, setTo] = useState("device");
  const [wave, setWave] = useState("20");
  const others = (servers.data ?? []).filter((s) => s.in_estate && s.name !== server);
  const [kind, name] = to.split("/") as ["device" | "gateway" | "server", string?];
  const body = { server, to: kind, ...(name && { to_server: name }) };
  const move = useMutation({
    mutationFn: (what: What) =>
      what === "end"
        ? ask(api.POST("/api/v1/draft/end-server", { body: { server } }))
        : ask(
            api.POST("/api/v1/draft/move", {
              body: { ...body, wave: Number(wave), back: what === "back" },
            }),
          ),
    onSuccess: () => draftChanged(client),
  });
  const p = move.data?.progress;
  const done = move.data?.moved.some((m) => m.moved);
  return (
    <div>
      <p className="font-medium">In waves</p>
      <p className="text-ink-2">
        The old path stays behind the new one: its queue stays while somebody uses it, and there is
        a way back. Once nothing leads here and nobody has printed here for 14 days, the old paths
        can go.
      </p>
      <div className="flex flex-wrap items-end gap-2">
        <Select
          label="Lead them to"
          all=""
          value={to}
          options={[
            { value: "device", label: "their devices" },
            { value: "gateway", label: "the gateway" },
            ...others.map((s) => ({ value: `server/${s.name}`, label: `the server ${s.name}` })),
          ]}
          onChange={setTo}
        />
        <Select
          label="At a time"
          all=""
          value={wave}
          options={["5", "10", "20", "50", "100"].map((n) => ({ value: n, label: `${n} %` }))}
          onChange={setWave}
        />
        <Button disabled={move.isPending} onClick={() => move.mutate("next")}>
          Next wave, in the draft
        </Button>
        <Button disabled={move.isPending} onClick={() => move.mutate("back")}>
          Back again
        </Button>
        <Button disabled={move.isPending} onClick={() => move.mutate("end")}>
          Take the old paths out
        </Button>
      </div>
      {move.error && <ProblemNotice title="Nothing was moved" error={move.error} />}
      {move.data && (
        <div role="status">
          <MovedList of={move.data.moved} />
          {p && (
            <p className="mt-1">
              Then {p.moved} of {p.all} lead elsewhere first.
            </p>
          )}
          {done ? (
            <p>
              They are in your draft. <Link to="/draft#rehearse">Rehearse it</Link>: nobody should
              lose anything.
            </p>
          ) : (
            <p>Your draft is as it was.</p>
          )}
        </div>
      )}
    </div>
  );
}
