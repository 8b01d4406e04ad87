import { useQuery } from "@tanstack/react-query";
import type { Capture } from "../../api/client";
import { capturesQuery } from "../../api/stock";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { count } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Exact } from "../../ui/Exact";
import { Empty, Failure, Waiting } from "../../ui/Notice";

/** What was read off reference machines, to be adopted. */
export function Captures({ onAdopt }: { onAdopt: (of: Capture) => void }) {
  const captures = useQuery(capturesQuery());
  const now = useNow();
  if (captures.isPending) return <Waiting what="what was captured" />;
  if (!captures.data)
    return <Failure title="What was captured cannot be shown" problem={captures.error} />;
  if (captures.data.length === 0) {
    return (
      <div className="mt-3">
        <Empty title="Nothing was captured yet">
          Set one machine up with care, then run on it{" "}
          <code className="font-mono">cirque-agent capture --spooler S</code>, choose with{" "}
          <code className="font-mono">--queue</code>, and hand it in with{" "}
          <code className="font-mono">--service URL --token-file F</code>. What it has can be
          adopted here.
        </Empty>
      </div>
    );
  }
  return (
    <ul className="mt-3 max-w-[70rem]">
      {captures.data.map((c) => (
        <li key={c.machine} className="border-b border-rule py-2">
          <div className="flex flex-wrap items-center gap-3">
            <strong className="font-medium">{c.machine}</strong>
            <span className="text-ink-2">
              {c.platform}, {count(c.queues.length, "queue")}, handed in {ago(c.at, now)} by{" "}
              {c.author}
            </span>
            <Button onClick={() => onAdopt(c)}>Adopt its queues</Button>
          </div>
          <ul className="mt-1 pl-4 text-ink-2">
            {c.queues.map((q) => (
              <li key={q.name}>
                <Exact text={q.name} />: {q.model ? <Exact text={q.model} /> : "driverless"} to{" "}
                <span className="font-mono text-[0.93em]">{q.device}</span>
              </li>
            ))}
          </ul>
        </li>
      ))}
    </ul>
  );
}
