import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "./client";

/** Has whoever sits there show again who they are; false where they would not. */
type Prover = () => Promise<boolean>;
let prover: Prover | undefined;
let proving: Promise<boolean> | undefined;

/** Says who asks; gives how to take that back. */
export function provesBy(f: Prover): () => void {
  prover = f;
  return () => {
    if (prover === f) prover = undefined;
  };
}

// A request's body can be read once: what is to be sent again is kept until its answer has come.
// Files are not: nothing that takes one asks again.
const kept = new WeakMap<Request, Request>();

api.use({
  onRequest({ request }) {
    const json = request.headers.get("Content-Type")?.startsWith("application/json");
    if (request.method !== "GET" && (json || !request.body)) kept.set(request, request.clone());
    return undefined;
  },
  async onResponse({ request, response }) {
    const again = kept.get(request);
    if (response.status !== 403 || !again || !prover) return undefined;
    const problem: unknown = await response.clone().json();
    const code = typeof problem === "object" && problem && "code" in problem && problem.code;
    if (code !== "prove-again") return undefined;
    // What is asked at once is asked once.
    proving ??= prover().finally(() => (proving = undefined));
    return (await proving) ? fetch(again) : undefined;
  },
});

export const factorsQuery = () =>
  queryOptions({
    queryKey: ["access", "factors"],
    queryFn: ({ signal }) => ask(api.GET("/api/v1/session/factors", { signal })),
  });
