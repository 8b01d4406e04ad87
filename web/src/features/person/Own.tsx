import { useQuery } from "@tanstack/react-query";
import { ProblemNotice } from "../../parts/ProblemNotice";
import { Mark } from "../../ui/Mark";
import { Empty, Waiting } from "../../ui/Notice";
import { lineupQuery } from "../../parts/lineups";

const nowhere = {
  machine: "",
  host: "",
  address: "",
  location: "",
  session: "desktop",
  platform: "",
  time: "",
  estate: "",
};
const says: Record<string, string> = {
  placed: "is there for you",
  picked: "you picked it up",
  offered: "yours to pick up",
};

/** One's own lineup, wherever one is. */
export function Own({ name }: { name: string }) {
  const lineup = useQuery(lineupQuery({ ...nowhere, user: name }));
  if (lineup.isPending) return <Waiting what="your printers" />;
  if (lineup.error)
    return <ProblemNotice title="Your printers cannot be told" error={lineup.error} />;
  const l = lineup.data;
  if (l.entries.length === 0)
    return (
      <div className="mt-3">
        <Empty title="No printer is yours everywhere">
          Those that depend on where you are come by themselves at your machine. Ask for others
          there, or at the help desk.
        </Empty>
      </div>
    );
  return (
    <>
      <p className="mt-1 text-ink-2">
        Wherever you are; those that depend on a place come by themselves at your machine.
      </p>
      <ul className="mt-3">
        {l.entries.map((e) => (
          <li key={e.queue} className="border-b border-rule py-2">
            <Mark of={e.effect}>
              <strong className="font-medium">{e.title ?? e.queue}</strong>,{" "}
              {says[e.effect] ?? e.effect}
              {e.default && "; your default"}
              {e.not_accepting && `; takes no jobs just now: ${e.not_accepting}`}
            </Mark>
          </li>
        ))}
      </ul>
    </>
  );
}
