import type { Change, Clash, Draft, Loss } from "../../core/change/index.ts";
import type { Clause } from "../../core/clause/index.ts";
import { type AskStanding, isEarly } from "../standing/survey.ts";

/** What a person does next for a domain, on the way from a request to its proof. */
export type Move =
  /** Something is in the way of asks of one service: each clash once, with the asks it stops. */
  | { readonly kind: "decide"; readonly clashes: readonly [Clash, ...Clash[]]; readonly asks: readonly string[] }
  | { readonly kind: "publish"; readonly changes: readonly Change[] }
  /** A sheet is open: what it says is still to be entered at the DNS host. */
  | { readonly kind: "enter" }
  /** More was deleted or changed than was to be. */
  | { readonly kind: "missed" }
  /** Something was entered wrongly, or stands beside what was asked. */
  | { readonly kind: "mend"; readonly standing: AskStanding }
  /** Some resolvers still show the old records; `by` is when the last one forgets them, milliseconds since 1970. */
  | { readonly kind: "wait"; readonly by: number | undefined }
  /** Everyone sees it: the service is to confirm it. */
  | { readonly kind: "confirm"; readonly standing: AskStanding }
  | { readonly kind: "unknown"; readonly because: Clause }
  | { readonly kind: "done"; readonly open: readonly AskStanding[] };

/** What is known of a domain when the next move is chosen. */
export interface Situation {
  readonly asks: readonly AskStanding[];
  /** What is left to publish, with the replacements that were agreed to; undefined where the zone could not be looked at. */
  readonly draft: Draft | undefined;
  readonly sheetOpen: boolean;
  /** What somebody deleted or changed beside the newest sheet. */
  readonly lost: readonly Loss[];
  /** Asks that the person put off. */
  readonly putOff: ReadonlySet<string>;
  /** Milliseconds since 1970. */
  readonly now: number;
}

/** Chooses the next move; the same situation always has the same one, so that a conversation can be left and taken up again. */
export function nextMove({ asks, draft, sheetOpen, lost, putOff, now }: Situation): Move {
  const going = asks.filter(({ ask }) => !putOff.has(ask.id));
  const unknown = going.find(({ state }) => state === "unknown");
  if (unknown !== undefined) return { kind: "unknown", because: unknown.because };
  if (sheetOpen) return { kind: "enter" };
  if (lost.length > 0) return { kind: "missed" };
  const [clash, ...more] = (draft?.clashes ?? []).filter(({ ask, contradicts }) => !contradicts && !putOff.has(ask));
  if (clash !== undefined) {
    const serviceOf = (id: string) => asks.find(({ ask }) => ask.id === id)?.ask.service;
    const reasonOf = ({ because }: Clash): string => JSON.stringify(because);
    const same = more.filter((candidate) => reasonOf(candidate) === reasonOf(clash));
    // What one service needs is decided at once, where all of it may be replaced.
    const others = more.filter(
      (candidate) =>
        !same.includes(candidate) &&
        clash.replaceable &&
        candidate.replaceable &&
        serviceOf(candidate.ask) === serviceOf(clash.ask),
    );
    const byReason = [...new Map([clash, ...others].map((one) => [reasonOf(one), one])).values()] as [Clash, ...Clash[]];
    return { kind: "decide", clashes: byReason, asks: [...new Set([clash, ...same, ...others].map(({ ask }) => ask))] };
  }
  const changes = draft?.changes.filter((change) => change.action !== "keep" && change.asks.some((id) => !putOff.has(id))) ?? [];
  if (changes.length > 0) return { kind: "publish", changes };
  const spreading = going.filter((standing) => standing.state === "spreading");
  const astray = going.find(
    (standing) =>
      (standing.state === "astray" || standing.state === "lapsed") && standing.causes.length > 0 && !spreading.includes(standing),
  );
  if (astray !== undefined) return { kind: "mend", standing: astray };
  if (spreading.length > 0) {
    const by = spreading.flatMap(({ visibility }) => (visibility === undefined ? [] : [visibility.by]));
    return { kind: "wait", by: by.length === 0 ? undefined : Math.max(...by) };
  }
  const early = going.filter(({ state, visibility }) => state === "settled" && isEarly(visibility, now));
  const settled = going.find((standing) => standing.state === "settled" && !early.includes(standing));
  if (settled !== undefined) return { kind: "confirm", standing: settled };
  if (early.length > 0) return { kind: "wait", by: Math.max(...early.map(({ visibility }) => visibility?.by ?? now)) };
  // What was put off is still open.
  return { kind: "done", open: asks.filter(({ state }) => state !== "proven") };
}
