import { useEffect, useRef, useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import type { NewTest, StockJob, TestSheet } from "../api/client";
import { ProblemNotice } from "./ProblemNotice";
import { testPage } from "../api/stock";
import { Button } from "../ui/Button";
import { Mark } from "../ui/Mark";

const results = {
  yes: ["yes", "Printed"],
  no: ["no", "Not printed"],
  unproven: ["silent", "Not proven"],
} as const;

/** Sends a test page, and follows its job until it is done, or until it is known what holds it up. */
export function TestPage({
  what,
  word = "Send a test page",
}: {
  what: NewTest;
  word?: string | undefined;
}) {
  const client = useQueryClient();
  const [job, setJob] = useState<StockJob | null>(null);
  const [result, setResult] = useState<TestSheet | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const [running, setRunning] = useState(false);
  const stop = useRef<AbortController | null>(null);
  useEffect(() => () => stop.current?.abort(), []);
  const send = async () => {
    const signal = (stop.current = new AbortController()).signal;
    setJob(null);
    setResult(null);
    setError(null);
    setRunning(true);
    try {
      setResult(await testPage(what, setJob, signal));
    } catch (e) {
      if (!signal.aborted) setError(e instanceof Error ? e : new Error(String(e)));
    } finally {
      if (!signal.aborted) {
        setRunning(false);
        void client.invalidateQueries({ queryKey: ["stock"] });
      }
    }
  };
  const [mark, said] = result ? results[result.result] : ["", ""];
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <Button
        disabled={running}
        onClick={() => void send()}
        aria-label={what.queue ? `${word} to ${what.queue}` : word}
      >
        {word}
      </Button>
      <span role="status" className="text-ink-2">
        {running && !job && "Sending it…"}
        {running && job && `Job ${job.id} is ${job.state}…`}
        {result && (
          <Mark of={mark}>
            <strong className="font-medium text-ink">{said}:</strong> {result.says}. Sent as{" "}
            {result.format}.
            {!result.recorded && " It is not in the audit: that could not be written."}
          </Mark>
        )}
      </span>
      {error && <ProblemNotice title="The test page was not sent" error={error} />}
    </div>
  );
}
