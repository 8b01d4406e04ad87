import { Link, useLocation } from "react-router";
import { useLeadOn } from "../../lib/useLeadOn";
import { selectionsOf, useAdopting } from "../../parts/adopting";
import { Adopt } from "./Adopt";
import { Captures } from "./Captures";

/** What was found, on its way into the draft; and what reference machines handed in. */
export function AdoptPage() {
  const { state, key } = useLocation();
  const leadOn = useLeadOn();
  const adopt = useAdopting();
  const selections = selectionsOf(state);
  if (selections)
    return (
      <>
        <h1>Adopt</h1>
        <div className="mt-3 max-w-[60rem]">
          <Adopt key={key} selections={selections} onDone={() => leadOn(-1)} />
        </div>
      </>
    );
  return (
    <>
      <h1>Adopt</h1>
      <p className="mt-2 max-w-[48rem] text-ink-2">
        What was found enters the estate through the draft. Choose queues among{" "}
        <Link to="/servers?show=queues">those of the servers</Link>, or devices among{" "}
        <Link to="/devices?show=found">what scans found</Link>; or take what a reference machine
        has.
      </p>
      <h2 className="mt-4">Reference machines</h2>
      <Captures onAdopt={(c) => adopt([{ kind: "capture", from: c.machine }])} />
    </>
  );
}
