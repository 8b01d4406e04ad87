import type { DriverPackage } from "../../api/client";
import { Copy } from "../../ui/Copy";
import { Exact } from "../../ui/Exact";
import { Mark } from "../../ui/Mark";

/** The exact names that a package accepts, and what is to be remarked on it. */
export function Models({ of: p }: { of: DriverPackage }) {
  return (
    <>
      <section aria-label="Exact names">
        <h3 className="font-medium">Exact names that it accepts</h3>
        <ul>
          {p.models.map((m, i) => (
            <li key={i} className="border-b border-rule py-1.5">
              <Exact text={m.exact} /> <Copy text={m.exact} what={m.exact} />
              <p className="text-ink-2">
                {[
                  m.platform,
                  m.language,
                  m.version && `version ${m.version}`,
                  m.date,
                  m.set_up_file,
                ]
                  .filter(Boolean)
                  .join(", ")}
              </p>
              {m.features && (
                <p className="text-ink-2">
                  {m.features.colour ? "colour" : "monochrome"},{" "}
                  {m.features.two_sided ? "two-sided" : "one-sided"}
                  {m.features.media && `, ${m.features.media.join(" ")}`}
                </p>
              )}
              {m.hardware_ids && (
                <p className="font-mono text-[0.86em] text-ink-3">{m.hardware_ids.join("  ")}</p>
              )}
            </li>
          ))}
        </ul>
      </section>
      {p.problems && p.problems.length > 0 && (
        <section aria-label="Remarks">
          <h3 className="font-medium">Remarks</h3>
          <ul>
            {p.problems.map((x, i) => (
              <li key={i} className="py-0.5">
                <Mark of="warning">
                  {x.place && `${x.place}: `}
                  {x.what}
                  {x.fix && `; ${x.fix}`}
                </Mark>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
