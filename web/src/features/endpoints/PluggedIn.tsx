import { Link } from "react-router";
import type { components } from "../../api/schema";
import { ago } from "../../lib/time";
import { useNow } from "../../lib/useNow";
import { useAdopting } from "../../parts/adopting";
import { Button } from "../../ui/Button";
import { Copy } from "../../ui/Copy";
import { Mark } from "../../ui/Mark";

type Attached = components["schemas"]["EndpointAttachedAs"];

type PluggedInProps = { machine: string; list: Attached[]; at?: string | undefined };

/** What is plugged into a machine, as its agent told, beside the estate's devices. */
export function PluggedIn({ machine, list, at }: PluggedInProps) {
  const adopt = useAdopting();
  const now = useNow();
  return (
    <section aria-label="Plugged in">
      <h3 className="font-medium">Plugged into it{at && `, as it looked ${ago(at, now)}`}</h3>
      {list.length === 0 && <p className="text-ink-2">Nothing.</p>}
      <ul>
        {list.map((a) => (
          <li key={a.uri} className="border-b border-rule py-1.5">
            {a.model || "It does not tell what it is"}
            {a.languages && `, speaks ${a.languages.join(", ")}`}
            {a.serial && (
              <>
                {"; serial "}
                <span className="font-mono text-[0.93em]">{a.serial}</span>{" "}
                <Copy text={a.serial} what="the serial number" />
              </>
            )}
            <span className="block font-mono text-[0.86em] break-all text-ink-3">
              {a.uri} <Copy text={a.uri} what="the address" />
            </span>
            {a.printer === false && <Mark of="warning">it says that it is no printer</Mark>}
            {a.device ? (
              <>
                <Mark of={a.says ? "warning" : "yes"}>
                  the device{" "}
                  <Link to={`/devices?device=${encodeURIComponent(a.device)}`}>{a.device}</Link>
                  {a.says && `; ${a.says}`}
                </Mark>
              </>
            ) : (
              <p className="mt-1">
                <Button
                  onClick={() => adopt([{ kind: "attached", from: machine, found: [a.uri] }])}
                >
                  Make a queue of it…
                </Button>
              </p>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
