import type { Disposition, EventKind } from "../core/sending/index.ts";

/** What became of a message, as people say it. */
export const OUTCOME_WORDS: Readonly<Record<Disposition | EventKind, string>> = {
  accepted: "accepted",
  "under-way": "on its way",
  arrived: "arrived",
  waiting: "waiting",
  returned: "came back",
  shown: "was opened",
  followed: "link used",
  left: "left the list",
  reported: "reported as spam",
};
