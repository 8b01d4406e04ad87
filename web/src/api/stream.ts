import { ProblemError, type Problem } from "./client";

/** Posts, and gives each line of the answer, one JSON object, as it comes; take says when it has what it waited for. */
export async function stream<L extends { problem?: Problem }, T>(
  path: string,
  body: unknown,
  what: string,
  take: (line: L) => T | undefined,
  signal: AbortSignal,
): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify(body),
      signal,
    });
  } catch (e) {
    if (signal.aborted) throw e;
    throw new ProblemError({
      code: "service-unreachable",
      status: 0,
      detail: "The service does not answer",
      fix: "check that it runs, and the network",
    });
  }
  if (!response.ok || !response.body) {
    const problem: ProblemError["problem"] = await response.json();
    throw new ProblemError(problem);
  }
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { value, done } = await reader.read();
    rest += value ?? "";
    for (let end = rest.indexOf("\n"); end >= 0; end = rest.indexOf("\n")) {
      const line: L = JSON.parse(rest.slice(0, end));
      rest = rest.slice(end + 1);
      if (line.problem) throw new ProblemError(line.problem);
      const result = take(line);
      if (result !== undefined) return result;
    }
    if (done)
      throw new ProblemError({
        code: "stream-broken",
        status: 0,
        detail: `${what} broke off`,
        fix: "try again",
      });
  }
}
