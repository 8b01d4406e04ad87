import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Checkup } from "../../api/client";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { Mark } from "../../ui/Mark";

const words = {
  good: "It came out well",
  garbled: "It is garbled",
  nothing: "Nothing came out",
} as const;
const results = ["good", "garbled", "nothing"] as const;

/** What a person saw come out of the device: the last word on a test page, remembered of the driver with that model. */
export function CameOut({ checkup: c }: { checkup: Checkup }) {
  const client = useQueryClient();
  const tell = useMutation({
    mutationFn: (result: keyof typeof words) =>
      ask(
        api.POST("/api/v1/checkups/{id}/print-result", {
          params: { path: { id: c.id } },
          body: { result },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["endpoints"] }),
  });
  const result = tell.data?.print_result ?? c.print_result;
  const test = c.checks.find((r) => r.kind === "test-page");
  if (!c.done || !c.queue || !test || test.result === "no") return null;
  if (result) {
    return (
      <p role="status">
        <Mark of={result.result === "good" ? "yes" : "no"}>
          {words[result.result]}, says {result.by}.{" "}
          {c.model
            ? `It is remembered of ${c.model}.`
            : "The device’s model is not known, so it is not remembered of one."}
          {result.result === "good" &&
            c.try === "plain" &&
            " So device, path and spooler work, and the driver is at fault: try another."}
          {result.result === "good" &&
            c.try &&
            c.try !== "plain" &&
            " To have it for everybody, give it to the queue in the draft."}
        </Mark>
      </p>
    );
  }
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span>What came out of the device?</span>
      {results.map((k) => (
        <Button key={k} disabled={tell.isPending} onClick={() => tell.mutate(k)}>
          {words[k]}
        </Button>
      ))}
      {tell.error && <ProblemNotice title="It was not kept" error={tell.error} />}
    </div>
  );
}
