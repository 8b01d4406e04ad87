import type { ReactNode } from "react";
import { Mark } from "./Mark";

type Field = {
  key: string;
  before?: string | undefined;
  after?: string | undefined;
  gains?: string[] | undefined;
  loses?: string[] | undefined;
};
export type ShownDiff = {
  list: string;
  name: string;
  kind: "added" | "changed" | "removed";
  fields: Field[];
};

const words: Record<string, string> = { server_sets: "server set" };
const marks = { added: "plus", changed: "behind", removed: "minus" };

/** What becomes of objects, key by key. */
export function Diffs({
  list,
  action,
}: {
  list: ShownDiff[];
  action?: ((d: ShownDiff) => ReactNode) | undefined;
}) {
  return (
    <ul>
      {list.map((d) => (
        <li key={`${d.list}/${d.name}`} className="border-b border-rule py-2">
          <div className="flex items-baseline gap-3">
            <Mark of={marks[d.kind]}>
              <strong className="font-medium">
                {words[d.list] ?? d.list.replace(/s$/, "")} {d.name}
              </strong>{" "}
              {d.kind}
            </Mark>
            {action && <span className="ml-auto">{action(d)}</span>}
          </div>
          {d.kind !== "removed" && (
            <dl className="mt-1 grid grid-cols-[8rem_1fr] gap-x-3 pl-5">
              {d.fields
                .filter((f) => f.key !== "name")
                .map((f) => (
                  <Row key={f.key} field={f} />
                ))}
            </dl>
          )}
        </li>
      ))}
    </ul>
  );
}

function Row({ field: f }: { field: Field }) {
  const lists = (f.gains?.length ?? 0) + (f.loses?.length ?? 0) > 0;
  return (
    <>
      <dt className="text-ink-2">{f.key}</dt>
      <dd className="min-w-0 break-words">
        {lists ? (
          <>
            {f.gains?.map((s) => (
              <ins key={s} className="mr-3 text-good no-underline">
                + {s}
              </ins>
            ))}
            {f.loses?.map((s) => (
              <del key={s} className="mr-3 text-bad">
                − {s}
              </del>
            ))}
          </>
        ) : (
          <>
            {f.before && <del className="mr-2 text-bad">{f.before}</del>}
            {f.before && f.after && <span className="mr-2 text-ink-3">becomes</span>}
            {f.after && <ins className="text-good no-underline">{f.after}</ins>}
          </>
        )}
      </dd>
    </>
  );
}
