import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type DriverFetch, type PlaceOffers as Offers } from "../../api/client";
import { bytes } from "../../lib/bytes";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";
import { FetchedNames } from "./FetchedNames";

const stateMarks = {
  new: { of: "idle", says: "new" },
  changed: { of: "behind", says: "another than the one kept" },
  kept: { of: "yes", says: "kept" },
} as const;

/** The archives that a place lists, each to be looked into or kept. */
export function PlaceOffers({ of: v, may }: { of: Offers; may: boolean }) {
  const client = useQueryClient();
  const [seen, setSeen] = useState<number | null>(null);
  const path = { name: v.place.name };
  const changed = () => client.invalidateQueries({ queryKey: ["places"] });
  const fetch = useMutation({
    mutationFn: (body: { file: string; dry?: boolean }) =>
      ask(api.POST("/api/v1/drivers/places/{name}/fetches", { params: { path }, body })),
    onSuccess: changed,
  });
  const stop = useMutation({
    mutationFn: (id: number) =>
      ask(
        api.DELETE("/api/v1/drivers/places/{name}/fetches/{id}", {
          params: { path: { ...path, id } },
        }),
      ),
    onSuccess: changed,
  });
  const error = fetch.error ?? stop.error;
  return (
    <>
      <table aria-label={`Archives at ${v.place.name}`} className="mt-2">
        <thead>
          <tr className="border-y border-rule-strong bg-wash text-left text-ink-2">
            {["Offered", "State", "Names", "Package", "SHA-256", ""].map((h) => (
              <th key={h} scope="col" className="px-2 py-1 font-medium">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {v.offers.map((o) => (
            <Row
              key={o.file}
              of={o}
              last={v.place.fetches?.find((f) => f.file === o.file)}
              may={may}
              onFetch={(dry) => fetch.mutate({ file: o.file, dry })}
              onStop={(id) => stop.mutate(id)}
              onSee={setSeen}
            />
          ))}
        </tbody>
      </table>
      {error && <ProblemNotice title="It was not done" error={error} />}
      {seen !== null && (
        <FetchedNames place={v.place.name} id={seen} onClose={() => setSeen(null)} />
      )}
    </>
  );
}

type RowProps = {
  of: Offers["offers"][number];
  last: DriverFetch | undefined;
  may: boolean;
  onFetch: (dry: boolean) => void;
  onStop: (id: number) => void;
  onSee: (id: number) => void;
};

function Row({ of: o, last: f, may, onFetch, onStop, onSee }: RowProps) {
  const busy = f && (f.state === "waiting" || f.state === "running");
  return (
    <tr className="border-b border-rule align-top hover:bg-wash">
      <th scope="row" className="px-2 py-1 text-left font-medium">
        {o.title ? (
          <>
            <Exact text={o.title} /> <Copy text={o.title} what={o.title} />
            <span className="block font-mono text-[0.86em] font-normal text-ink-3">{o.file}</span>
          </>
        ) : (
          o.file
        )}
        {f && f.state !== "done" && <Going of={f} />}
      </th>
      <td className="px-2 py-1">
        <Mark of={stateMarks[o.state].of}>{stateMarks[o.state].says}</Mark>
      </td>
      <td className="px-2 py-1">
        {o.names === undefined ? (
          "–"
        ) : f?.state === "done" ? (
          <button
            type="button"
            className="min-h-[24px] text-accent hover:underline"
            aria-label={`${o.names} in ${o.file}`}
            onClick={() => onSee(f.id)}
          >
            {o.names}
          </button>
        ) : (
          o.names
        )}
      </td>
      <td className="px-2 py-1">
        {o.package ? <a href={`/drivers?package=${o.package}`}>{o.name}</a> : "–"}
      </td>
      <td className="px-2 py-1 font-mono text-[0.86em] text-ink-3" title={o.sha256 ?? ""}>
        {o.sha256 ? o.sha256.slice(0, 12) : "not told"}
      </td>
      <td className="px-2 py-1">
        {may && (
          <span className="flex gap-2">
            {busy ? (
              <Button aria-label={`Stop fetching ${o.file}`} onClick={() => onStop(f.id)}>
                Stop
              </Button>
            ) : (
              o.state !== "kept" && (
                <>
                  <Button
                    aria-label={`Look into ${o.title ?? o.file}`}
                    onClick={() => onFetch(true)}
                  >
                    Look into
                  </Button>
                  <Button aria-label={`Keep ${o.title ?? o.file}`} onClick={() => onFetch(false)}>
                    Keep
                  </Button>
                </>
              )
            )}
          </span>
        )}
      </td>
    </tr>
  );
}

/** How far the last fetch of an archive is, or why it did not come. */
function Going({ of: f }: { of: DriverFetch }) {
  return (
    <span className="block font-normal" role="status">
      {f.state === "failed" ? (
        <Mark of="failing">
          {f.says}
          {f.fix && `; ${f.fix}`}
        </Mark>
      ) : f.state === "stopped" ? (
        <Mark of="idle">{f.says || "stopped before it began"}</Mark>
      ) : f.state === "waiting" ? (
        "waits for its turn"
      ) : (
        <>
          <progress max={f.total || 1} value={f.got} aria-label={`Fetching ${f.file}`} />{" "}
          {bytes(f.got)}
          {f.total > 0 && ` of ${bytes(f.total)}`}
        </>
      )}
    </span>
  );
}
