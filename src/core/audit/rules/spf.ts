import type { Clause } from "../../clause/index.ts";
import {
  branchesOf,
  combine,
  isAll,
  isRedirect,
  isSpf,
  MAX_LOOKUPS,
  MAX_OCTETS,
  movedFrom,
  readSpfRecord,
  type SpfBranch,
  treeLookups,
} from "../../spf/index.ts";
import { type Facts, letsSomebodyPass, passesByReturnPath } from "../facts.ts";
import { rule, when } from "../finding.ts";

const all = ({ spfTree }: Facts): { branch: SpfBranch; depth: number }[] =>
  spfTree === undefined ? [] : [...branchesOf(spfTree)];
const own = ({ spfTree }: Facts): readonly SpfBranch[] => spfTree?.branches ?? [];

/** A term of the SPF record, and what is the matter with it. */
type TermSeen = {
  readonly term: string;
  readonly because: Clause;
};

/** A sighting for every branch that is dead for this reason. */
const ineffective =
  (kind: NonNullable<SpfBranch["ineffective"]>["kind"]) =>
  (facts: Facts): TermSeen[] =>
    own(facts).flatMap(({ term, ineffective: why }) => (why?.kind === kind ? [{ term: term.text, because: why.because }] : []));

/** A sighting for every branch that is dangerous for this reason. */
const risk =
  (kind: string) =>
  (facts: Facts): TermSeen[] =>
    all(facts).flatMap(({ branch }) =>
      branch.risks
        .filter(
          (candidate) =>
            candidate.kind === kind && (kind !== "everybody" || branch.below === undefined || branch.below.problem === undefined),
        )
        .map(({ because }) => ({ term: branch.term.text, because })),
    );

const problem =
  (kind: string) =>
  (facts: Facts): TermSeen[] =>
    all(facts).flatMap(({ branch }) =>
      branch.below?.problem?.kind === kind ? [{ term: branch.term.text, because: branch.below.problem.because }] : [],
    );

/** How the record ends: the qualifier of its `all`. */
const ending = (facts: Facts): string | undefined => {
  const last = own(facts).find(({ term }) => isAll(term))?.term;
  return last?.kind === "mechanism" ? last.qualifier : undefined;
};

/** One record with the terms of several; the first one's end counts. */
function oneOf(texts: readonly string[]): string {
  const [first, ...others] = texts.map(readSpfRecord).flatMap((one) => (one.ok ? [one.value] : []));
  return combine(first, others);
}

/** Texts that were meant as SPF and are not: receivers pass them over. */
const nearlySpf = ({ texts }: Facts): string[] =>
  texts.filter((text) => !isSpf(text) && /^[\s"“]*(v[\s=]*spf|spf2|spf1)/i.test(text));

export const spf = {
  "spf-return-path": rule("risks", "RFC 7208 section 2.4", ({ returnPaths }) =>
    returnPaths.flatMap(({ name, spf }) =>
      when("problem" in spf && spf.problem.kind !== "failed", {
        name,
        because: "problem" in spf ? spf.problem.because : undefined,
      }),
    ),
  ),
  "spf-quotes": rule("breaks", "RFC 7208 section 4.5", ({ texts }) =>
    texts.filter((text) => /^["'“”]\s*v=spf1\b/i.test(text)).map((text) => ({ text })),
  ),
  "spf-missing": rule("risks", "RFC 7208 section 3", (facts) => {
    const { spf: found, sends } = facts;
    return when(sends && "problem" in found && found.problem.kind === "none" && !passesByReturnPath(facts));
  }),
  "spf-return-path-only": rule("note", "RFC 7208 section 2.4", (facts) => {
    const { spf: found, sends, returnPaths } = facts;
    const hosts = returnPaths.flatMap(({ name, spf }) => ("record" in spf && letsSomebodyPass(spf.record) ? [name] : []));
    return when(sends && "problem" in found && found.problem.kind === "none" && passesByReturnPath(facts), { hosts });
  }),
  "spf-several": rule("breaks", "RFC 7208 section 4.5", ({ spfTexts }) =>
    when(spfTexts.length > 1, { texts: spfTexts, together: oneOf(spfTexts) }),
  ),
  "spf-syntax": rule("breaks", "RFC 7208 section 4.6", ({ spf: found }) =>
    "problem" in found ? (found.problem.errors ?? []).map(({ text, message, meant }) => ({ text, message, meant })) : [],
  ),
  "spf-nearly": rule("breaks", "RFC 7208 section 4.5", (facts) =>
    nearlySpf(facts).map((text) => {
      const parsed = readSpfRecord(text);
      return { text, because: parsed.ok ? undefined : parsed.error[0]?.message };
    }),
  ),
  "spf-over-limit": rule("breaks", "RFC 7208 section 4.6.4", ({ spfTree }) =>
    spfTree === undefined ? [] : when(treeLookups(spfTree) > MAX_LOOKUPS, { lookups: treeLookups(spfTree) }),
  ),
  "spf-near-limit": rule("untidy", "RFC 7208 section 4.6.4", ({ spfTree }) =>
    spfTree === undefined
      ? []
      : when(treeLookups(spfTree) >= MAX_LOOKUPS - 1 && treeLookups(spfTree) <= MAX_LOOKUPS, { lookups: treeLookups(spfTree) }),
  ),
  "spf-voids": rule("breaks", "RFC 7208 section 4.6.4", (facts) => {
    const voids = all(facts).filter(({ branch }) => branch.ineffective?.kind === "void" && branch.below === undefined);
    return when(voids.length > 2, { terms: voids.map(({ branch }) => branch.term.text) });
  }),
  "spf-void": rule("untidy", "RFC 7208 section 4.6.4", (facts) =>
    all(facts).flatMap(({ branch }) =>
      branch.ineffective?.kind === "void" && branch.below === undefined
        ? [{ term: branch.term.text, because: branch.ineffective.because }]
        : [],
    ),
  ),
  "spf-include-missing": rule("breaks", "RFC 7208 section 5.2", problem("none")),
  "spf-include-broken": rule("breaks", "RFC 7208 section 5.2", problem("broken")),
  "spf-include-several": rule("breaks", "RFC 7208 section 5.2", problem("several")),
  "spf-loop": rule("breaks", "RFC 7208 section 4.6.4", problem("loop")),
  "spf-no-end": rule("risks", "RFC 7208 section 4.7", (facts) =>
    when(facts.spfTree !== undefined && ending(facts) === undefined && !own(facts).some(({ term }) => isRedirect(term)), {
      text: facts.spfTree?.text ?? "",
    }),
  ),
  "spf-everybody": rule("breaks", "RFC 7208 section 5.1", risk("everybody")),
  "spf-neutral": rule("risks", "RFC 7208 section 8.2", (facts) => when(ending(facts) === "?")),
  "spf-soft": rule("note", "RFC 7208 section 8.5", (facts) =>
    when(ending(facts) === "~" && (facts.dmarcRecord === undefined || facts.dmarcRecord.policy === "none")),
  ),
  "spf-behind-all": rule("untidy", "RFC 7208 section 5.1", ineffective("unreachable")),
  "spf-duplicate": rule("untidy", "RFC 7208 section 4.6.4", ineffective("duplicate")),
  "spf-shadowed": rule("untidy", "RFC 7208 section 4.6.2", ineffective("shadowed")),
  "spf-ptr": rule("risks", "RFC 7208 section 5.5", risk("ptr")),
  "spf-huge": rule("risks", "RFC 7208 section 5.6", risk("huge-range")),
  "spf-registrable": rule("breaks", "RFC 7208 section 11.1", risk("registrable")),
  "spf-long": rule("risks", "RFC 7208 section 3.4", ({ spfTree }) =>
    when((spfTree?.text?.length ?? 0) > MAX_OCTETS, { octets: spfTree?.text?.length ?? 0 }),
  ),
  "spf-split": rule("breaks", "RFC 7208 section 3.3", ({ txt }) =>
    txt.data.flatMap(({ strings }) => {
      const txtValue = strings.join("");
      if (strings.length < 2 || !isSpf(txtValue) || readSpfRecord(txtValue).ok || !readSpfRecord(strings.join(" ")).ok) return [];
      return [{ end: strings[0]?.slice(-20), start: strings[1]?.slice(0, 20) }];
    }),
  ),
  "spf-moved": rule("risks", "RFC 7208 section 11.1", ({ flattenedNow }) =>
    flattenedNow.flatMap(({ term, before, now }) => {
      const move = movedFrom(term, before, now);
      return move.kind === "gone" || move.kind === "moved" ? [{ term, move: move.kind, because: move.because }] : [];
    }),
  ),
  "spf-old-type": rule("untidy", "RFC 7208 section 3.1", ({ type99 }) => when(type99.kind === "found")),
  "spf-unknown-word": rule("untidy", "RFC 7208 section 6", (facts) =>
    own(facts).flatMap(({ term }) =>
      term.kind === "modifier" && term.name !== "redirect" && term.name !== "exp" ? [{ term: term.text }] : [],
    ),
  ),
} as const;
