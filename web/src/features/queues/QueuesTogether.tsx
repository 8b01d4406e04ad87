import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type EstateDriver, type EstateQueue } from "../../api/client";
import { draftChanged, draftDocumentQuery, sendEdits } from "../../api/drafts";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { among, keysOf } from "../../lib/among";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { inputLook } from "../../ui/Field";

const whats = {
  pause: "pause them",
  resume: "resume them",
  retire: "retire them",
  list: "list them in the directory",
  unlist: "list them no more",
  label: "add a label",
  unlabel: "take a label off",
  location: "move them to",
  name: "change the names by a pattern",
  rename: "change the title by",
  driver: "give them the driver",
  remove: "take them out",
} as const;
type What = keyof typeof whats;
const hints: Partial<Record<What, string>> = {
  label: "label",
  unlabel: "label",
  location: "location, such as site/floor",
  name: "{site}-{name}; also {title} {location} {last} {n}",
  rename: "{title}, {name}, such as Harbour: {title}",
};

/** Changes many queues at once, in the draft. */
export function QueuesTogether({ queues, onDone }: { queues: EstateQueue[]; onDone: () => void }) {
  const client = useQueryClient();
  const [what, setWhat] = useState<What>("pause");
  const [text, setText] = useState("");
  const document = useQuery(draftDocumentQuery());
  const drivers = document.data?.drivers ?? [];
  const names = queues.map((q) => q.name);
  const preview = useQuery({
    queryKey: ["draft", "rename", names.slice(0, 3), text],
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/v1/draft/rename", {
          body: { queues: names.slice(0, 3), pattern: text.trim(), dry: true },
          signal,
        }),
      ),
    enabled: what === "name" && text.trim() !== "" && names.length > 0,
    retry: false,
  });
  const send = useMutation({
    mutationFn: async () =>
      what === "name"
        ? ask(api.POST("/api/v1/draft/rename", { body: { queues: names, pattern: text.trim() } }))
        : sendEdits(
            queues.map((q) =>
              what === "remove"
                ? ({ list: "queues", name: q.name, remove: true } as const)
                : ({
                    list: "queues",
                    name: q.name,
                    object: changed(q, what, text.trim(), drivers),
                  } as const),
            ),
          ),
    onSuccess: async () => {
      await draftChanged(client);
      onDone();
    },
  });
  const hint = hints[what];
  const first = queues[0];
  return (
    <section
      aria-label="Change together"
      className="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2 border border-rule bg-wash px-3 py-2"
    >
      <label className="flex items-center gap-2">
        Of {count(queues.length, "queue")}
        <select
          className={inputLook}
          value={what}
          onChange={(e) => {
            setWhat(among(keysOf(whats), e.target.value) ?? what);
            setText("");
          }}
        >
          {Object.entries(whats).map(([k, v]) => (
            <option key={k} value={k}>
              {v}
            </option>
          ))}
        </select>
      </label>
      {hint && (
        <input
          aria-label={hint}
          className={`${inputLook} w-72`}
          value={text}
          placeholder={hint}
          onChange={(e) => setText(e.target.value)}
        />
      )}
      {what === "rename" && first && text && (
        <span className="text-ink-2">such as “{changed(first, what, text, drivers).title}”</span>
      )}
      {what === "name" && preview.data && (
        <span className="text-ink-2">
          such as {preview.data.names.map((n) => `${n.from} → ${n.to}`).join(", ")}; old names go on
          leading there
        </span>
      )}
      {what === "name" && preview.error && (
        <span role="alert" className="text-bad">
          {preview.error.message}
        </span>
      )}
      {what === "driver" && (
        <select
          aria-label="Driver"
          className={inputLook}
          value={text}
          onChange={(e) => setText(e.target.value)}
        >
          <option value="">choose an exact name</option>
          {drivers.map((d) => (
            <option key={d.name} value={d.name}>
              {d.exact} for {d.platform}
            </option>
          ))}
        </select>
      )}
      <Button
        disabled={
          ((hint !== undefined || what === "driver") && !text.trim()) ||
          send.isPending ||
          queues.length === 0
        }
        onClick={() => send.mutate()}
      >
        Keep in the draft
      </Button>
      {queues.length === 0 && (
        <span role="status" className="text-ink-2">
          Waiting for the draft…
        </span>
      )}
      {send.error && <ProblemNotice title="None of them was changed" error={send.error} />}
    </section>
  );
}

function changed(q: EstateQueue, what: What, text: string, drivers: EstateDriver[]): EstateQueue {
  const { paused: _, ...awake } = q;
  const { labels, ...bare } = q;
  switch (what) {
    case "pause":
      return { ...q, paused: true };
    case "resume":
      return awake;
    case "retire":
      return { ...q, retired: true };
    case "list":
      return { ...q, listed: true };
    case "unlist": {
      const { listed: _listed, ...quiet } = q;
      return quiet;
    }
    case "label":
      return { ...q, labels: [...new Set([...(labels ?? []), text])] };
    case "unlabel": {
      const left = (labels ?? []).filter((l) => l !== text);
      return left.length > 0 ? { ...bare, labels: left } : bare;
    }
    case "driver": {
      const platform = drivers.find((d) => d.name === text)?.platform;
      // Where it had none it was driverless everywhere: elsewhere it stays so.
      return platform
        ? { ...q, drivers: { "*": "driverless", ...q.drivers, [platform]: text } }
        : q;
    }
    case "location":
      return { ...q, location: text };
    default:
      return {
        ...q,
        title: text.replaceAll("{title}", q.title ?? q.name).replaceAll("{name}", q.name),
      };
  }
}
