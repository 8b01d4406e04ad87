import type { Difference, Endpoint } from "../../api/client";

/** One way in which an endpoint is not as it should be, as a sentence. */
export function difference(d: Difference): string {
  const whose = d.user ? ` for ${d.user}` : "";
  switch (d.kind) {
    case "missing":
      return `${d.queue} is missing${whose}`;
    case "extra":
      return `${d.queue} is there${whose} and should not be`;
    case "default":
      return `${d.queue} is not the default${whose}`;
    default:
      return `${d.queue} has ${d.found}${whose}, and should have ${d.wanted}`;
  }
}

export function wrong(e: Endpoint): string {
  if (e.report.failures.length > 0)
    return e.report.failures.map((f) => `${f.step} of ${f.queue}: ${f.says}`).join("; ");
  return e.drift.map(difference).join("; ");
}
