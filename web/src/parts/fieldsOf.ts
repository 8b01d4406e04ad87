import { ProblemError } from "../api/client";

/**
 * What a problem says of single fields: by the places that it names or, where it names none, by the first word of its
 * code (mac-invalid is about mac). Names are what problems call fields otherwise.
 */
export function fieldsOf(
  error: Error | null,
  names: Record<string, string> = {},
): Record<string, string> {
  if (!(error instanceof ProblemError)) return {};
  const { problem } = error;
  const places = problem.places?.length
    ? problem.places
    : [{ place: problem.code.split("-")[0], what: error.message, fix: problem.fix }];
  const out: Record<string, string> = {};
  for (const { place = "", what, fix } of places)
    out[names[place] ?? place] ??= fix ? `${what}; ${fix}` : what;
  return out;
}
