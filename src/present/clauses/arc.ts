import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { Words } from "./words.ts";

/** A set by its number, and whose it is. */
type OfSet = { readonly sealer: DomainName; readonly instance: number };
type Because = { readonly because: Clause };

/** What a handler did to a message, where that has a short name; the clauses are those of the broken signature. */
function changed(what: Clause, say: (clause: Clause | undefined) => string): string {
  const {
    clause: code,
    added,
    name,
    because,
    besides,
  } = what as Clause & {
    readonly added?: number;
    readonly name?: string;
    readonly because?: Clause;
    readonly besides?: Clause;
  };
  switch (code) {
    case "dkim-besides":
      return [because, besides].map((one) => (one === undefined ? "" : changed(one, say))).join(" and ");
    case "dkim-lines-added":
      return `added ${added === 1 ? "a line" : `${added} lines`} at the end of the text`;
    case "dkim-body-changed":
      return "changed the text";
    case "dkim-body-cut":
      return "cut the text off";
    case "dkim-field-changed":
      return `changed the field ${name ?? ""}`.trimEnd();
    case "dkim-field-added":
    case "dkim-field-another":
      return `added the field ${name ?? ""}`.trimEnd();
    default:
      return `changed it (${say(what)})`;
  }
}

const SEEN_BY: Readonly<Record<string, string>> = {
  fail: "it did not pass DMARC there either",
  none: "there was no DMARC policy then",
};

/** What is said of mail that was forwarded, and of the chain that comes with it (ARC). */
export const ARC = {
  "arc-too-many": ({ sets }: { readonly sets: number }) => `it has ${sets} sets, and a chain has 50 at most`,
  "arc-instance": ({ field }: { readonly field: string }) => `one of its ${field} fields has no number from 1 to 50`,
  "arc-instance-twice": ({ field }: { readonly field: string }) => `two of its ${field} fields have one number`,
  "arc-incomplete": ({ instance, field }: { readonly instance: number; readonly field: string }) =>
    `set ${instance} has no ${field} field, so that the chain has a gap`,
  "arc-signature-unreadable": ({ instance, because }: Because & { readonly instance: number }, say) =>
    `the signature of set ${instance} cannot be read: ${say(because)}`,
  "arc-seal-unreadable": ({ instance, because }: Because & { readonly instance: number }, say) =>
    `the seal of set ${instance} cannot be read: ${say(because)}`,
  "arc-signature-signs-seal": "it says that it covers a seal, which it never does",
  "arc-seal-foreign-tag": ({ tag }: { readonly tag: string }) => `it has ${tag}=, which a seal does not have`,
  "arc-seal-value": ({ cv }: { readonly cv: string }) => `cv=${cv} is neither none, pass nor fail`,
  "arc-seal-other": "one of the sets before it was changed after it was sealed, or another key made it",
  "arc-said-broken": ({ sealer, instance }: OfSet) =>
    `${displayName(sealer)} found the chain broken when the message arrived there (set ${instance})`,
  "arc-claim-wrong": ({ sealer, instance, cv }: OfSet & { readonly cv: string }) =>
    `${displayName(sealer)} says cv=${cv} in set ${instance}, where ${instance === 1 ? "none" : "pass"} belongs`,
  "arc-signature-fails": ({ sealer, instance, because }: OfSet & Because, say) =>
    `the newest signature, of ${displayName(sealer)} (set ${instance}), does not hold: ${say(because)}`,
  "arc-seal-fails": ({ sealer, instance, because }: OfSet & Because, say) =>
    `the seal of ${displayName(sealer)} (set ${instance}) does not hold: ${say(because)}`,
  "arc-broken": ({ because }: Because, say) =>
    `the chain of those who forwarded it is broken, so nothing in it can be relied on: ${say(because)}`,
  "arc-undetermined": ({ because }: Because, say) => `it could not be determined who forwarded it: ${say(because)}`,
  /** `seen`: what the first of them says of DMARC. */
  "arc-unproven": ({ sealer, seen }: { readonly sealer: DomainName; readonly seen: string | undefined }) =>
    `${displayName(sealer)} forwarded it, and ${seen === undefined ? "does not say whether it passed DMARC there" : `says that ${SEEN_BY[seen] ?? `DMARC ended there with ${seen}`}`}: the chain helps nobody`,
  /** `change`: who broke the author's signature, and how; `ending`: what that means here. */
  "arc-proven": (
    {
      sealer,
      dmarc,
      change,
      ending,
      sealers,
    }: {
      readonly sealer: DomainName;
      readonly dmarc: boolean;
      readonly change: { readonly by: DomainName; readonly what: Clause } | undefined;
      readonly ending: "passes" | "delivered" | "not-trusted" | "may";
      readonly sealers: readonly DomainName[];
    },
    say,
  ) => {
    const who = listOf(sealers.map(displayName));
    const then = {
      passes: "it still passes by itself, so nobody needs the chain",
      delivered: `this receiver trusts ${who}, and delivers it in spite of DMARC`,
      "not-trusted": `this receiver does not trust ${who}, so the chain changes nothing here`,
      may: `receivers that trust ${who} may deliver it`,
    }[ending];
    const broke =
      change === undefined ? "" : `; ${displayName(change.by)} ${changed(change.what, say)}, which broke the signature`;
    return `it ${dmarc ? "passed DMARC" : "had a good signature of its author"} when ${displayName(sealer)} received it${broke}; ${then}`;
  },
} satisfies Words;
