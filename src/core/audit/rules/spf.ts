import { displayName } from "../../name/index.ts";
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
import type { Facts } from "../facts.ts";
import { rulesOf, type Seen, when } from "../finding.ts";

const all = ({ spfTree }: Facts): { branch: SpfBranch; depth: number }[] =>
  spfTree === undefined ? [] : [...branchesOf(spfTree)];
const own = ({ spfTree }: Facts): readonly SpfBranch[] => spfTree?.branches ?? [];

/** A finding for every branch that is dead for this reason. */
const ineffective =
  (kind: NonNullable<SpfBranch["ineffective"]>["kind"], remedy: string) =>
  (facts: Facts): Seen[] =>
    own(facts).flatMap(({ term, ineffective: why }) =>
      why?.kind === kind ? [{ evidence: `${term.text}: ${why.because}`, remedy }] : [],
    );

/** A finding for every branch that is dangerous for this reason. */
const risk =
  (kind: string, remedy: string) =>
  (facts: Facts): Seen[] =>
    all(facts).flatMap(({ branch }) =>
      branch.risks
        .filter(
          (one) =>
            one.kind === kind && (kind !== "everybody" || branch.below === undefined || branch.below.problem === undefined),
        )
        .map((one) => ({ evidence: `${branch.term.text}: ${one.because}`, remedy })),
    );

const problem =
  (kind: string, remedy: string) =>
  (facts: Facts): Seen[] =>
    all(facts).flatMap(({ branch }) =>
      branch.below?.problem?.kind === kind ? [{ evidence: `${branch.term.text}: ${branch.below.problem.because}`, remedy }] : [],
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
  texts.filter((text) => !isSpf(text) && /^\s*["“]?\s*(v\s*=?\s*spf|spf2|spf1)/i.test(text));

export const spf = rulesOf("spf", [
  [
    "spf-return-path",
    "risks",
    "RFC 7208 section 2.4",
    "A host that takes bounces has no SPF record that counts",
    "Mail with this return path does not pass SPF, whatever the record of the domain says.",
    ({ returnPaths }) =>
      returnPaths.flatMap(({ name, spf }) =>
        when(
          "problem" in spf && spf.problem.kind !== "failed",
          `${displayName(name)} takes bounces, and ${"problem" in spf ? spf.problem.because : ""}`,
          "publish the SPF record that the sending service shows for this host",
        ),
      ),
  ],
  [
    "spf-quotes",
    "breaks",
    "RFC 7208 section 4.5",
    "An SPF record was pasted with its quotation marks",
    "Receivers do not take it for an SPF record.",
    ({ texts }) =>
      texts
        .filter((text) => /^["'“”]\s*v=spf1\b/i.test(text))
        .map((text) => ({ evidence: text, remedy: "enter it again without the quotation marks" })),
  ],
  [
    "spf-missing",
    "risks",
    "RFC 7208 section 3",
    "The domain has no SPF record",
    "Receivers cannot tell who may send for the domain; mail lands in the junk folder sooner, and forgers are not held back.",
    ({ spf: found, sends, plain }) =>
      when(
        sends && "problem" in found && found.problem.kind === "none",
        `${plain} has no text that begins with v=spf1`,
        "zandrel spf combine makes one of what the services ask for; v=spf1 -all if the domain sends no mail",
      ),
  ],
  [
    "spf-several",
    "breaks",
    "RFC 7208 section 4.5",
    "The domain has more than one SPF record",
    "With more than one, receivers use none and treat it as an error.",
    ({ spfTexts }) => when(spfTexts.length > 1, spfTexts.join(" / "), `replace them by one: ${oneOf(spfTexts)}`),
  ],
  [
    "spf-syntax",
    "breaks",
    "RFC 7208 section 4.6",
    "The SPF record has a mistake",
    "One mistake anywhere makes receivers throw the whole record away.",
    ({ spf: found }) =>
      "problem" in found
        ? (found.problem.errors ?? []).map(({ text, message, meant }) => ({
            evidence: `at “${text}”: ${message}`,
            remedy: meant === undefined ? "correct it; zandrel spf explain shows the place" : `write ${meant}`,
          }))
        : [],
  ],
  [
    "spf-nearly",
    "breaks",
    "RFC 7208 section 4.5",
    "A text was meant as SPF and is none",
    "Receivers pass it over, so that the domain has no protection at all.",
    (facts) =>
      nearlySpf(facts).map((text) => {
        const parsed = readSpfRecord(text);
        return {
          evidence: `“${text.slice(0, 60)}”: ${parsed.ok ? "" : parsed.error[0]?.message}`,
          remedy: "begin it with v=spf1 and a space, without quotation marks",
        };
      }),
  ],
  [
    "spf-over-limit",
    "breaks",
    "RFC 7208 section 4.6.4",
    "The SPF record makes receivers ask too often",
    "Receivers stop at ten questions and treat the whole record as an error: all mail of the domain suffers.",
    ({ spfTree }) =>
      spfTree === undefined
        ? []
        : when(
            treeLookups(spfTree) > MAX_LOOKUPS,
            `it needs ${treeLookups(spfTree)} lookups of at most ${MAX_LOOKUPS}`,
            "zandrel spf explain names the costly terms; zandrel spf flatten replaces one by addresses",
          ),
  ],
  [
    "spf-near-limit",
    "untidy",
    "RFC 7208 section 4.6.4",
    "The SPF record has no room left",
    "The next service, or one more include at a service, breaks it.",
    ({ spfTree }) =>
      spfTree === undefined
        ? []
        : when(
            treeLookups(spfTree) >= MAX_LOOKUPS - 1 && treeLookups(spfTree) <= MAX_LOOKUPS,
            `it needs ${treeLookups(spfTree)} lookups of at most ${MAX_LOOKUPS}`,
            "take out what nobody uses before the next service is added",
          ),
  ],
  [
    "spf-voids",
    "breaks",
    "RFC 7208 section 4.6.4",
    "More than two parts of the SPF record lead nowhere",
    "Receivers stop at the third and treat the whole record as an error.",
    (facts) => {
      const voids = all(facts).filter(({ branch }) => branch.ineffective?.kind === "void" && branch.below === undefined);
      return when(voids.length > 2, voids.map(({ branch }) => branch.term.text).join(", "), "take these terms out");
    },
  ],
  [
    "spf-void",
    "untidy",
    "RFC 7208 section 4.6.4",
    "A part of the SPF record leads nowhere",
    "It costs one of the two that are allowed, and anyone who sets up that name may send.",
    (facts) =>
      all(facts).flatMap(({ branch }) =>
        branch.ineffective?.kind === "void" && branch.below === undefined
          ? [{ evidence: `${branch.term.text}: ${branch.ineffective.because}`, remedy: "take the term out" }]
          : [],
      ),
  ],
  [
    "spf-include-missing",
    "breaks",
    "RFC 7208 section 5.2",
    "An include leads to a domain without an SPF record",
    "Receivers treat the whole record as an error as soon as they get there.",
    problem("none", "correct the name, or take the include out"),
  ],
  [
    "spf-include-broken",
    "breaks",
    "RFC 7208 section 5.2",
    "An included record has a mistake",
    "The mistake of the service breaks your record too.",
    problem("broken", "tell the service, and take the include out until it is corrected"),
  ],
  [
    "spf-include-several",
    "breaks",
    "RFC 7208 section 5.2",
    "An include leads to a domain with several SPF records",
    "Receivers treat the whole record as an error as soon as they get there.",
    problem("several", "tell the service, and take the include out until it is corrected"),
  ],
  [
    "spf-loop",
    "breaks",
    "RFC 7208 section 4.6.4",
    "The SPF record leads back to itself",
    "Receivers go round until the limit and treat the record as an error.",
    problem("loop", "take out the include that leads back"),
  ],
  [
    "spf-no-end",
    "risks",
    "RFC 7208 section 4.7",
    "The SPF record does not say what happens to everyone else",
    "Forgers are neither refused nor suspicious.",
    (facts) =>
      when(
        facts.spfTree !== undefined && ending(facts) === undefined && !own(facts).some(({ term }) => isRedirect(term)),
        facts.spfTree?.text ?? "",
        "end it with ~all or -all",
      ),
  ],
  [
    "spf-everybody",
    "breaks",
    "RFC 7208 section 5.1",
    "The SPF record lets everybody send",
    "Anybody in the world passes as this domain, and receivers distrust such domains altogether.",
    risk("everybody", "end the record with ~all or -all, and take out what leads to +all"),
  ],
  [
    "spf-neutral",
    "risks",
    "RFC 7208 section 8.2",
    "The SPF record says nothing about everyone else",
    "?all protects against nothing.",
    (facts) => when(ending(facts) === "?", "it ends with ?all", "end it with ~all, and with -all once every sender is in it"),
  ],
  [
    "spf-soft",
    "note",
    "RFC 7208 section 8.5",
    "The SPF record only doubts everyone else",
    "That is fine where a DMARC policy says what to do with mail that fails.",
    (facts) =>
      when(
        ending(facts) === "~" && (facts.dmarcRecord === undefined || facts.dmarcRecord.policy === "none"),
        "it ends with ~all, and DMARC asks for nothing",
        "tighten the DMARC policy rather than this record",
      ),
  ],
  [
    "spf-behind-all",
    "untidy",
    "RFC 7208 section 5.1",
    "There are terms behind “all”",
    "Nobody reads on there: a service added at the end is not allowed to send.",
    ineffective("unreachable", "move it in front of “all”"),
  ],
  [
    "spf-duplicate",
    "untidy",
    "RFC 7208 section 4.6.4",
    "A term is there twice",
    "It costs its lookups twice.",
    (facts) => [...ineffective("duplicate", "take one of them out")(facts)],
  ],
  [
    "spf-shadowed",
    "untidy",
    "RFC 7208 section 4.6.2",
    "A term matches nothing that was not matched before",
    "It makes the record longer and harder to understand.",
    ineffective("shadowed", "take it out"),
  ],
  [
    "spf-ptr",
    "risks",
    "RFC 7208 section 5.5",
    "The SPF record uses ptr",
    "It is slow and unreliable, and some receivers skip it.",
    risk("ptr", "replace it by the addresses or names of the servers"),
  ],
  [
    "spf-huge",
    "risks",
    "RFC 7208 section 5.6",
    "The SPF record allows a huge block of addresses",
    "Somebody in there is a forger.",
    risk("huge-range", "name the addresses that really send"),
  ],
  [
    "spf-registrable",
    "breaks",
    "RFC 7208 section 11.1",
    "The SPF record trusts a domain that anybody can register",
    "Anyone who buys it may send as this domain, and everything passes.",
    risk("registrable", "take the term out today"),
  ],
  [
    "spf-long",
    "risks",
    "RFC 7208 section 3.4",
    "The SPF record is too long for a small answer",
    "Some networks lose large DNS answers; receivers there see no SPF.",
    ({ spfTree }) =>
      when(
        (spfTree?.text?.length ?? 0) > MAX_OCTETS,
        `it has ${spfTree?.text?.length} octets, and ${MAX_OCTETS} are safe`,
        "take out what nobody uses, or move a service to a subdomain",
      ),
  ],
  [
    "spf-split",
    "breaks",
    "RFC 7208 section 3.3",
    "The SPF record is split without a space",
    "The strings are joined as they are: two terms become one word that means nothing.",
    ({ txt }) =>
      txt.data.flatMap(({ strings }) => {
        const txtValue = strings.join("");
        if (strings.length < 2 || !isSpf(txtValue) || readSpfRecord(txtValue).ok || !readSpfRecord(strings.join(" ")).ok)
          return [];
        return [
          {
            evidence: `“…${strings[0]?.slice(-20)}” and “${strings[1]?.slice(0, 20)}…” become one word`,
            remedy: "put a space at the end of the first string",
          },
        ];
      }),
  ],
  [
    "spf-moved",
    "risks",
    "RFC 7208 section 11.1",
    "A service moved away from the addresses that replace its include",
    "Its mail from the new addresses fails.",
    ({ flattenedNow }) =>
      flattenedNow.flatMap(({ term, before, now }) => {
        const move = movedFrom(term, before, now);
        if (move.kind === "gone")
          return [{ evidence: `${term}: ${move.because}`, remedy: "ask the service where it sends from now" }];
        return move.kind === "moved" ? [{ evidence: move.because, remedy: "run zandrel spf flatten again" }] : [];
      }),
  ],
  [
    "spf-old-type",
    "untidy",
    "RFC 7208 section 3.1",
    "There is a record of the old type SPF",
    "Nobody reads it any more, and it misleads people.",
    ({ type99 }) =>
      when(type99.kind === "found", "the domain has a record of type 99", "remove it; the TXT record is the one that counts"),
  ],
  [
    "spf-unknown-word",
    "untidy",
    "RFC 7208 section 6",
    "The SPF record has a word that means nothing",
    "Receivers ignore it; it may be a typing mistake.",
    (facts) =>
      own(facts).flatMap(({ term }) =>
        term.kind === "modifier" && term.name !== "redirect" && term.name !== "exp"
          ? [{ evidence: `“${term.text}”`, remedy: "correct it or take it out" }]
          : [],
      ),
  ],
]);
