import type { Difference, EndpointRow } from "../../api/client";

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

/** The first thing that is wrong with an endpoint, and how many more there are. */
export function wrong(e: EndpointRow): string {
  const [says, all] = e.failure
    ? [`${e.failure.step} of ${e.failure.queue}: ${e.failure.says}`, e.failures]
    : e.differs
      ? [difference(e.differs), e.drift]
      : ["", 0];
  return all > 1 ? `${says}; and ${all - 1} more` : says;
}
