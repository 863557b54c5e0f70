import { isKeyText, readKeyRecord } from "../../dkim/index.ts";
import { isAll, readSpfRecord } from "../../spf/index.ts";
import { type Facts, passesByReturnPath, textsIn } from "../facts.ts";
import { rule, when } from "../finding.ts";

const issuersIn = ({ caa }: Facts, tag: string): string[] =>
  caa.data.filter((data) => data.tag === tag).map((data) => data.value.split(";")[0]?.trim().toLowerCase() ?? "");

export const certificate = {
  "caa-missing": rule("note", "RFC 8659 section 3", ({ caa }) =>
    when(caa.answer.kind === "nodata" || caa.answer.kind === "nxdomain"),
  ),
  "caa-forbids": rule("risks", "RFC 8659 section 4.2", (facts) => {
    const issuers = issuersIn(facts, "issue");
    return when(issuers.length > 0 && issuers.every((candidate) => candidate === "") && facts.role !== "parked");
  }),
  "caa-issuer": rule("breaks", "RFC 8659 section 4.2", (facts) => {
    const allowed = issuersIn(facts, "issue");
    return allowed.length === 0
      ? []
      : facts.issuers
          .filter(({ issuer }) => !allowed.includes(issuer.toLowerCase()))
          .map(({ title, issuer }) => ({ title, issuer, allowed: allowed.filter((candidate) => candidate !== "") }));
  }),
  "caa-critical": rule("breaks", "RFC 8659 section 4.1", ({ caa }) =>
    caa.data
      .filter(
        (data) =>
          (data.flags & 128) !== 0 &&
          !["issue", "issuewild", "iodef", "contactemail", "contactphone"].includes(data.tag.toLowerCase()),
      )
      .map((data) => ({ flags: data.flags, tag: data.tag })),
  ),
  "caa-value": rule("risks", "RFC 8659 section 4.2", (facts) =>
    [...issuersIn(facts, "issue"), ...issuersIn(facts, "issuewild")]
      .filter((candidate) => candidate !== "" && !/^[a-z0-9-]+(\.[a-z0-9-]+)+$/.test(candidate))
      .map((one) => ({ value: one })),
  ),
  "caa-notice": rule("untidy", "RFC 8659 section 4.4", ({ caa }) =>
    caa.data
      .filter((data) => data.tag === "iodef" && !/^(mailto:[^@\s]+@[^@\s]+|https?:\/\/\S+)$/i.test(data.value))
      .map((data) => ({ value: data.value })),
  ),
} as const;

const silent = ({ role }: Facts): boolean => role === "parked" || role === "redirect";

export const parked = {
  "parked-spf": rule("risks", "RFC 7208 section 10.1.2", (facts) => {
    const parsed = facts.spfTexts.map(readSpfRecord)[0];
    const isNone =
      parsed?.ok === true &&
      parsed.value.terms.length === 1 &&
      parsed.value.terms.every((term) => isAll(term) && term.kind === "mechanism" && term.qualifier === "-");
    return when(silent(facts) && !isNone && facts.txt.answer.kind !== "failed", { text: facts.spfTexts[0] });
  }),
  "parked-dmarc": rule("risks", "RFC 7489 section 6.3", (facts) =>
    when(silent(facts) && facts.dmarcRecord?.policy !== "reject" && facts.dmarc.failed === undefined, {
      text: facts.dmarcRecord?.text,
    }),
  ),
  "parked-mail": rule("untidy", "RFC 7505 section 3", (facts) =>
    when(facts.role === "parked" && !facts.mx.data.some((data) => data.exchange === ".") && facts.mx.answer.kind !== "failed", {
      exchanges: facts.mx.data.map((data) => data.exchange),
    }),
  ),
  "parked-keys": rule("untidy", "RFC 6376 section 3.6.1", (facts) =>
    when(
      facts.role === "parked" &&
        facts.anyKey.answer.kind !== "failed" &&
        !textsIn(facts.anyKey).some((text) => isKeyText(text) && readKeyRecord([text]).problem?.kind === "revoked"),
    ),
  ),
  "parked-live-key": rule("risks", "RFC 6376 section 3.6.1", (facts) =>
    facts.role !== "parked" ? [] : facts.keys.filter((key) => key.state === "usable").map(({ selector }) => ({ selector })),
  ),
} as const;

/** Policies that receivers of MTA-STS and TLS reporting would count. */
const stsTexts = ({ mtaSts }: Facts): string[] => textsIn(mtaSts).filter((text) => /^v=STSv1/i.test(text));
const rptTexts = ({ tlsRpt }: Facts): string[] => textsIn(tlsRpt).filter((text) => /^v=TLSRPTv1/i.test(text));

export const transport = {
  "transport-misplaced": rule("risks", "RFC 8460 section 3", ({ misplaced }) =>
    misplaced.map(({ name, right, text }) => ({ name, text, right })),
  ),
  "mta-sts-syntax": rule("breaks", "RFC 8461 section 3.1", (facts) =>
    stsTexts(facts)
      .filter((text) => !/^v=STSv1\s*;\s*id\s*=\s*[A-Za-z0-9]{1,32}\s*;?\s*$/.test(text))
      .map((text) => ({ text })),
  ),
  "mta-sts-several": rule("breaks", "RFC 8461 section 3.1", (facts) =>
    when(stsTexts(facts).length > 1, { texts: stsTexts(facts) }),
  ),
  "mta-sts-host": rule("breaks", "RFC 8461 section 3.3", (facts) => when(stsTexts(facts).length > 0 && facts.mtaStsHost.hasNone)),
  "mta-sts-nearly": rule("untidy", "RFC 8461 section 3.1", (facts) =>
    textsIn(facts.mtaSts)
      .filter((text) => !/^v=STSv1/i.test(text))
      .map((text) => ({ text })),
  ),
  "mta-sts-missing": rule("note", "RFC 8461 section 2", (facts) =>
    when(facts.exchanges.length > 0 && (facts.mtaSts.answer.kind === "nodata" || facts.mtaSts.answer.kind === "nxdomain")),
  ),
  "tls-report-syntax": rule("risks", "RFC 8460 section 3", (facts) =>
    rptTexts(facts)
      .filter(
        (text) =>
          !/^v=TLSRPTv1\s*;\s*rua\s*=\s*(mailto:[^\s,;]+|https:\/\/[^\s,;]+)(\s*,\s*(mailto:|https:\/\/)[^\s,;]+)*\s*;?\s*$/.test(
            text,
          ),
      )
      .map((text) => ({ text })),
  ),
  "tls-report-missing": rule("untidy", "RFC 8460 section 3", (facts) =>
    when(stsTexts(facts).length > 0 && rptTexts(facts).length === 0 && facts.tlsRpt.answer.kind !== "failed"),
  ),
} as const;

export const bulk = {
  "bulk-one-of-two": rule("risks", "RFC 7489 section 3", (facts) => {
    const { sends, spf, keys, anyKey, unresolved } = facts;
    const hasSpf = "record" in spf || passesByReturnPath(facts);
    const hasKey = keys.some((selectorCheck) => selectorCheck.state === "usable") || anyKey.data.length > 0;
    const knows = !unresolved.some((candidate) => candidate.type === "TXT");
    return when(sends && knows && hasSpf !== hasKey, { hasSpf });
  }),
  "bulk-no-policy": rule("risks", "RFC 7489 section 6.3", ({ role, dmarc }) =>
    when(role === "sending" && dmarc.record === undefined && dmarc.failed === undefined),
  ),
  "bulk-no-answers": rule("risks", "RFC 5321 section 4.5.1", ({ role, mx, apex }) =>
    when(role === "sending" && mx.data.length === 0 && mx.answer.kind !== "failed" && apex.hasNone),
  ),
  "bulk-reverse": rule("risks", "RFC 1912 section 2.1", ({ reverse }) =>
    reverse.filter(({ met }) => met === false).map(({ because }) => ({ because })),
  ),
  "bulk-soft-policy": rule("note", "RFC 7489 section 6.3", ({ role, dmarcRecord }) =>
    when(role === "sending" && dmarcRecord?.policy === "none"),
  ),
} as const;
