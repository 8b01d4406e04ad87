import { ProblemError } from "../api/client";
import { Failure } from "../ui/Notice";

/** A failed call with every place that it names. */
export function ProblemNotice({ title, error }: { title: string; error: Error }) {
  const p = error instanceof ProblemError ? error.problem : undefined;
  return (
    <div>
      <Failure title={title} problem={{ message: error.message, fix: p?.fix }} />
      {p?.places && p.places.length > 1 && (
        <ul className="mt-1 list-disc pl-6">
          {p.places.map((d, i) => (
            <li key={i}>
              {d.place && <strong className="font-medium">{d.place}: </strong>}
              {d.what}
              {d.fix && `; ${d.fix}`}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
