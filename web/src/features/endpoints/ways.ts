import type { AgentSettings } from "../../api/client";

/** The ways of knowing who sits at a machine. */
export const ways: {
  value: NonNullable<AgentSettings["user_from"]>;
  label: string;
  says: string;
}[] = [
  {
    value: "system-unless-unknown",
    label: "By the system's sign-in name, unless nobody here has it",
    says: "Where the name is unknown, the person may say who they are; until then they receive what everybody does.",
  },
  {
    value: "system",
    label: "By the system's sign-in name alone",
    says: "Where the name is unknown, the person receives what everybody does, and cannot mend it.",
  },
  {
    value: "ask",
    label: "By asking the person",
    says: "Whatever the system says: each person says once, with their password, who they are. Until then they receive what everybody at the machine does.",
  },
];
