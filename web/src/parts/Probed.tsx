import { queryOptions, useQuery } from "@tanstack/react-query";
import { api, ask, askAll } from "../api/client";
import { ago, stamp } from "../lib/time";
import { useNow } from "../lib/useNow";
import { Fact } from "../ui/Facts";
import { Mark } from "../ui/Mark";

const healthQuery = (kind: "server" | "device", name: string) =>
  queryOptions({
    queryKey: ["duties", "health", kind, name],
    queryFn: async ({ signal }) =>
      await ask(
        api.GET("/api/v1/health/{kind}/{name}", { params: { path: { kind, name } }, signal }),
      ),
    retry: false,
    refetchInterval: 15_000,
  });

const allQuery = () =>
  queryOptions({
    queryKey: ["duties", "health"],
    queryFn: ({ signal }) =>
      askAll((query) => api.GET("/api/v1/health", { params: { query }, signal })),
    refetchInterval: 15_000,
  });

const marks = { up: "yes", down: "no", unproven: "idle" } as const;

/** What probing has found of a server or device, and when it went up or down. Nothing stands here for what is not probed. */
export function Probed({ kind, name }: { kind: "server" | "device"; name: string }) {
  const now = useNow();
  const all = useQuery(allQuery());
  const health = useQuery({
    ...healthQuery(kind, name),
    enabled: all.data?.some((h) => h.kind === kind && h.name === name) ?? false,
  });
  const h = health.data;
  if (!h) return null;
  return (
    <Fact name="Probed">
      <Mark of={marks[h.verdict]}>
        {h.verdict === "up"
          ? "answers"
          : h.verdict === "down"
            ? h.held
              ? "answers, and is held down: it went up and down too often"
              : `does not answer: ${h.says}`
            : h.last
              ? `not proven: ${h.says}`
              : "has never answered, which may be the way from here"}
      </Mark>
      , since {stamp(h.since)}; asked {ago(h.checked, now)}
      {h.uptime !== null && (
        <>. Up for {Math.floor(h.uptime * 10000) / 100} % of what is known of the last 30 days</>
      )}
      {h.turns.length > 1 && (
        <details>
          <summary className="min-h-[24px] cursor-pointer">When it went up and down</summary>
          <ul>
            {[...h.turns]
              .reverse()
              .slice(0, 30)
              .map((t) => (
                <li key={t.at}>
                  {stamp(t.at)}: <Mark of={marks[t.verdict]} />
                  {t.says && `, ${t.says}`}
                </li>
              ))}
          </ul>
        </details>
      )}
    </Fact>
  );
}
