import type * as z from "zod";
import type { judgement } from "../app/shapes.ts";
import { type DomainName, displayName } from "../core/name/index.ts";
import { count } from "./english.ts";

/**
 * The sentences that say done, and nothing else in the program does: each takes the judgement that allows it. What is lost is said in
 * `publishing/losses.ts`, from the same value.
 */

type Judged = Pick<z.output<typeof judgement>, "verdict">;

/** That everything asked for is there, as far as that can be said of these domains; undefined where it cannot. */
export function thereText(judgements: readonly Judged[], compared: number): string | undefined {
  const all = judgements.map(({ verdict }) => verdict);
  if (all.every((verdict) => verdict === "nothing-asked") || all.some((one) => one === "open" || one === "undetermined"))
    return undefined;
  const there = all.includes("spreading")
    ? "Everything asked for is there, and not everyone may see it yet."
    : "Everything asked for is there.";
  return compared === 0
    ? there
    : `${there} Nothing else was lost at the ${count(compared, "name")} that were checked; other names are not known.`;
}

/** That the work for a domain is over; undefined where it is not. */
export const provenText = ({ verdict }: Judged, domain: DomainName): string | undefined =>
  verdict === "done" ? `Everything asked for ${displayName(domain)} is proven.` : undefined;

/** That a draft holds no change: what can be published is. */
export const NOTHING_LEFT = "Nothing is left to publish";
