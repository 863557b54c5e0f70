/**
 * The one judgement: how each wanted thing stands, what was lost beside it, and whether a domain is done. Whatever says done, there,
 * proven or lost takes it from here.
 *
 * ```ts
 * judge([{ ask: "seekmere-ownership", is: "met", until: undefined, act: "ask-service", by: "service" }], 0).verdict; // "done"
 * ```
 */
import type { State } from "../ask/index.ts";

/**
 * How a wanted thing stands: `contradicted`, where something beside it keeps it from counting; `not-visible-yet`, where the name servers
 * have it and somebody may still see what was there before; `undetermined`, where it could not be asked.
 */
export const STANDINGS = ["met", "missing", "contradicted", "not-visible-yet", "undetermined"] as const;
type Standing = (typeof STANDINGS)[number];

/** What brings a wanted thing on; `decide`: something of somebody else's stands in its place. */
export const ACTS = [
  "enter",
  "change",
  "delete",
  "decide",
  "wait",
  "ask-service",
  "move-host",
  "mend-signatures",
  "look-again",
  "none",
] as const;
type Act = (typeof ACTS)[number];

/** Who can do it: the person at the DNS host's form, the DNS host or the registrar themselves, the service, or time alone. */
export const PARTIES = ["person", "dns-host", "registrar", "service", "time", "nobody"] as const;
type Party = (typeof PARTIES)[number];

/** How one ask stands. */
export interface Piece {
  readonly ask: string;
  readonly is: Standing;
  /** When everyone sees it at the latest, where that is still to come (milliseconds since 1970). */
  readonly until: number | undefined;
  readonly act: Act;
  readonly by: Party;
}

/** What the standing of an ask follows from. */
export interface Seen {
  readonly ask: string;
  readonly state: State;
  /** Whether the ask is Zandrel's own, so that nobody is to be asked about it. */
  readonly isOwn: boolean;
  /** Whether something that is there keeps it from counting. */
  readonly isContradicted: boolean;
  /** When everyone sees what was published, at the latest; undefined where nothing was published. */
  readonly until: number | undefined;
  /** Milliseconds since 1970. */
  readonly now: number;
  /** What is wrong with the ground it stands on: nobody is sent to the name servers, or their signatures are refused. */
  readonly ground: "not-delegated" | "refused" | "sick-server" | undefined;
  /** What the draft does for it: sets that come, sets that are changed, sets that go. */
  readonly drafted: readonly ("add" | "replace" | "merge" | "remove")[];
}

function standingOf({ state, isContradicted, until, now }: Seen): Standing {
  switch (state) {
    case "unknown":
      return "undetermined";
    case "spreading":
      return "not-visible-yet";
    case "settled":
    case "proven":
      return until !== undefined && now < until ? "not-visible-yet" : "met";
    case "clashing":
      return "contradicted";
    case "waiting":
    case "noted":
    case "astray":
    case "lapsed":
      return isContradicted ? "contradicted" : "missing";
  }
}

/** What is to be done for an ask, and by whom; the first of what is wrong, from the ground up. */
function actOf({ state, isOwn, ground, drafted }: Seen, is: Standing): Pick<Piece, "act" | "by"> {
  if (is === "undetermined") return { act: "look-again", by: "person" };
  if (is === "not-visible-yet") return { act: "wait", by: "time" };
  if (is === "met") return state === "proven" || isOwn ? { act: "none", by: "nobody" } : { act: "ask-service", by: "service" };
  if (ground === "not-delegated") return { act: "move-host", by: "registrar" };
  if (ground === "refused") return { act: "mend-signatures", by: "dns-host" };
  if (ground === "sick-server" && drafted.length === 0) return { act: "wait", by: "dns-host" };
  if (state === "clashing") return { act: "decide", by: "person" };
  if (is === "contradicted" && drafted.every((action) => action === "remove")) return { act: "delete", by: "person" };
  if (drafted.some((action) => action === "replace" || action === "merge")) return { act: "change", by: "person" };
  return { act: is === "contradicted" ? "change" : "enter", by: "person" };
}

/** How one ask stands, by what was seen of it. */
export function pieceOf(seen: Seen): Piece {
  const is = standingOf(seen);
  const { ask, until, now } = seen;
  return {
    ask,
    is,
    until: is === "not-visible-yet" && until !== undefined && now < until ? until : undefined,
    ...actOf(seen, is),
  };
}

/** How far a domain is: `open`, where something is to be done; `spreading`, where only time is; `nothing-asked`, where it wants nothing. */
export const VERDICTS = ["done", "spreading", "open", "undetermined", "nothing-asked"] as const;
type Verdict = (typeof VERDICTS)[number];

/** How a domain stands. */
export interface Judgement {
  readonly verdict: Verdict;
  readonly pieces: readonly Piece[];
  /** How much that stood there and is still needed is gone or was changed. */
  readonly lost: number;
}

/**
 * How a domain stands by its asks and its losses. What could not be asked leaves the whole undetermined; a loss alone is work to do,
 * whatever else is met.
 */
export function judge(pieces: readonly Piece[], lost: number): Judgement {
  const has = (...standings: Standing[]) => pieces.some(({ is }) => standings.includes(is));
  const verdict = has("undetermined")
    ? "undetermined"
    : lost > 0 || has("missing", "contradicted")
      ? "open"
      : has("not-visible-yet")
        ? "spreading"
        : pieces.length === 0
          ? "nothing-asked"
          : "done";
  return { verdict, pieces, lost };
}
