import type { Clause } from "../../clause/index.ts";
import { discoveryDifference, isDmarc, POLICIES } from "../../dmarc/index.ts";
import { treeError } from "../../spf/index.ts";
import { type Facts, passesByReturnPath } from "../facts.ts";
import { rule, when } from "../finding.ts";

/** Why SPF lets nobody pass: there is no record that counts, receivers give it up at a term, or it allows nobody. */
export type SpfFailure =
  | { readonly kind: "none" | "several" | "broken" | "loop" | "nobody" }
  | { readonly kind: "given-up"; readonly term: string; readonly because: Clause };

/** Why SPF lets nobody pass; undefined where it does, or where that could not be asked. */
function whySpfFails(facts: Facts): SpfFailure | undefined {
  const { spf, spfTree } = facts;
  if (passesByReturnPath(facts)) return undefined;
  if ("problem" in spf) {
    const { kind } = spf.problem;
    return kind === "failed" ? undefined : { kind };
  }
  if (spfTree === undefined) return undefined;
  const error = treeError(spfTree);
  if (error !== undefined) return { kind: "given-up", term: error.term, because: error.because };
  const passes = spfTree.branches.some(
    ({ term, ineffective }) =>
      ineffective === undefined && (term.kind === "modifier" ? term.name === "redirect" : term.qualifier === "+"),
  );
  return passes ? undefined : { kind: "nobody" };
}

export const dmarc = {
  "dmarc-missing": rule("risks", "RFC 7489 section 6.3", ({ dmarc: found, publishedDmarc, sends }) =>
    when(
      // Of a domain that sends nothing the rules for parked domains say it, and how.
      sends && found.record === undefined && found.failed === undefined && publishedDmarc.kind === "none",
    ),
  ),
  "dmarc-several": rule("breaks", "RFC 7489 section 6.6.3", ({ publishedDmarc }) =>
    when(publishedDmarc.kind === "several", { texts: publishedDmarc.kind === "several" ? publishedDmarc.texts : [] }),
  ),
  "dmarc-unusable": rule("breaks", "RFC 7489 section 6.6.3", ({ publishedDmarc }) =>
    publishedDmarc.kind === "unusable"
      ? when(true, {
          text: publishedDmarc.text,
          because: publishedDmarc.mistakes[0]?.message,
          meant: publishedDmarc.mistakes[0]?.meant,
        })
      : [],
  ),
  "dmarc-mistake": rule("risks", "RFC 7489 section 6.3", ({ publishedDmarc }) =>
    publishedDmarc.kind === "record"
      ? publishedDmarc.record.mistakes.map(({ text, message, meant }) => ({ text, message, meant }))
      : [],
  ),
  "dmarc-misplaced": rule("breaks", "RFC 7489 section 6.1", ({ texts }) => texts.filter(isDmarc).map((text) => ({ text }))),
  "dmarc-watching": rule("note", "RFC 7489 section 6.3", ({ dmarcRecord }) =>
    when(dmarcRecord?.policy === "none" && dmarcRecord.aggregate.length > 0),
  ),
  "dmarc-blind": rule("risks", "RFC 7489 section 6.3", ({ dmarcRecord }) =>
    when(dmarcRecord?.policy === "none" && dmarcRecord.aggregate.length === 0),
  ),
  "dmarc-no-reports": rule("untidy", "RFC 7489 section 7.2", ({ dmarcRecord, sends }) =>
    when(sends && dmarcRecord !== undefined && dmarcRecord.policy !== "none" && dmarcRecord.aggregate.length === 0, {
      text: dmarcRecord?.text ?? "",
    }),
  ),
  "dmarc-subdomains-weaker": rule("risks", "RFC 7489 section 6.3", ({ dmarcRecord }) =>
    when(
      dmarcRecord?.subdomains !== undefined && POLICIES.indexOf(dmarcRecord.subdomains) < POLICIES.indexOf(dmarcRecord.policy),
      { policy: dmarcRecord?.policy, subdomains: dmarcRecord?.subdomains },
    ),
  ),
  "dmarc-nonexistent-weaker": rule("risks", "RFC 9091 section 3", ({ dmarcRecord }) =>
    when(
      dmarcRecord?.nonexistent !== undefined &&
        POLICIES.indexOf(dmarcRecord.nonexistent) < POLICIES.indexOf(dmarcRecord.subdomains ?? dmarcRecord.policy),
      { nonexistent: dmarcRecord?.nonexistent },
    ),
  ),
  "dmarc-percent": rule("untidy", "RFC 7489 section 6.6.4", ({ dmarcRecord }) =>
    when(dmarcRecord !== undefined && dmarcRecord.percent < 100, { percent: dmarcRecord?.percent }),
  ),
  "dmarc-trying": rule("note", "RFC 7489 section 6.3", ({ dmarcRecord }) => when(dmarcRecord?.testing === true)),
  "dmarc-differs": rule("risks", "RFC 7489 section 3.2", ({ dmarc: walk, dmarcByList }) => {
    const difference = discoveryDifference(walk, dmarcByList);
    // Where nobody finds a record there is no policy to differ.
    return difference === undefined || (walk.record === undefined && dmarcByList.record === undefined)
      ? []
      : when(true, { difference });
  }),
  "dmarc-inherited": rule("note", "RFC 7489 section 6.6.3", ({ dmarc: found, domain }) =>
    when(found.at !== undefined && found.at !== domain, { at: found.at ?? domain }),
  ),
  "dmarc-strict": rule("note", "RFC 7489 section 3.1", ({ dmarcRecord }) =>
    when(dmarcRecord?.dkimAlignment === "strict" || dmarcRecord?.spfAlignment === "strict", {
      tags: [
        dmarcRecord?.dkimAlignment === "strict" ? "adkim=s" : "",
        dmarcRecord?.spfAlignment === "strict" ? "aspf=s" : "",
      ].filter((candidate) => candidate !== ""),
    }),
  ),
  "dmarc-suffix": rule("risks", "RFC 9091 section 2.1", ({ publishedDmarc }) =>
    when(publishedDmarc.kind === "record" && publishedDmarc.record.publicSuffix === true),
  ),
  "dmarc-subdomain-weaker": rule("risks", "RFC 7489 section 6.6.3", ({ dmarcRecord, subPolicies }) =>
    dmarcRecord === undefined
      ? []
      : subPolicies
          .filter(
            ({ record }) => POLICIES.indexOf(record.policy) < POLICIES.indexOf(dmarcRecord.subdomains ?? dmarcRecord.policy),
          )
          .map(({ name, record }) => ({
            name,
            policy: record.policy,
            tag: dmarcRecord.subdomains === undefined ? "p" : "sp",
            above: dmarcRecord.subdomains ?? dmarcRecord.policy,
          })),
  ),
  "dmarc-without-checks": rule("breaks", "RFC 7489 section 3", (facts) => {
    const { dmarcRecord, sends, keys, unresolved, anyKey } = facts;
    const spf = whySpfFails(facts);
    if (dmarcRecord === undefined || spf === undefined) return [];
    return when(
      sends &&
        dmarcRecord.policy !== "none" &&
        !keys.some((key) => key.state === "usable" || key.state === "unknown") &&
        anyKey.answer.kind !== "failed" &&
        !unresolved.some((candidate) => candidate.name.includes("._domainkey.")),
      { policy: dmarcRecord.policy, spf },
    );
  }),
} as const;
