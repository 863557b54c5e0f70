import { isKeyText, readKeyRecord } from "../../dkim/index.ts";
import { displayName } from "../../name/index.ts";
import { isAll, readSpfRecord } from "../../spf/index.ts";
import { type Facts, textsIn } from "../facts.ts";
import { rulesOf, when } from "../finding.ts";

const issuersIn = ({ caa }: Facts, tag: string): string[] =>
  caa.data.filter((data) => data.tag === tag).map((data) => data.value.split(";")[0]?.trim().toLowerCase() ?? "");

export const certificate = rulesOf("certificate", [
  [
    "caa-missing",
    "note",
    "RFC 8659 section 3",
    "Anybody may issue certificates for the domain",
    "That is how it is by default; a CAA record leaves fewer who can be tricked.",
    ({ caa, plain }) =>
      when(
        caa.answer.kind === "nodata" || caa.answer.kind === "nxdomain",
        `${plain} has no CAA record`,
        "name your certificate issuers in CAA records, if you know all of them",
      ),
  ],
  [
    "caa-forbids",
    "risks",
    "RFC 8659 section 4.2",
    "Nobody may issue certificates for the domain",
    "The next renewal fails, and browsers then warn every visitor.",
    (facts) => {
      const issuers = issuersIn(facts, "issue");
      return when(
        issuers.length > 0 && issuers.every((one) => one === "") && facts.role !== "parked",
        'the only issue property is empty (issue ";")',
        "name the issuer of the site's certificate",
      );
    },
  ],
  [
    "caa-issuer",
    "breaks",
    "RFC 8659 section 4.2",
    "The issuer of your certificates is not allowed",
    "The certificate that is asked for, or its next renewal, is refused.",
    (facts) => {
      const allowed = issuersIn(facts, "issue");
      return allowed.length === 0
        ? []
        : facts.issuers
            .filter(({ issuer }) => !allowed.includes(issuer.toLowerCase()))
            .map(({ title, issuer }) => ({
              evidence: `${title} is ${issuer}, and only ${allowed.filter((one) => one !== "").join(", ") || "nobody"} may issue`,
              remedy: `add ${facts.plain} CAA 0 issue "${issuer}"`,
            }));
    },
  ],
  [
    "caa-critical",
    "breaks",
    "RFC 8659 section 4.1",
    "A CAA record demands something issuers do not know",
    "No issuer issues anything then.",
    ({ caa }) =>
      caa.data
        .filter(
          (data) =>
            (data.flags & 128) !== 0 &&
            !["issue", "issuewild", "iodef", "contactemail", "contactphone"].includes(data.tag.toLowerCase()),
        )
        .map((data) => ({ evidence: `CAA ${data.flags} ${data.tag}`, remedy: "remove the record, or set its flag to 0" })),
  ],
  [
    "caa-value",
    "risks",
    "RFC 8659 section 4.2",
    "A CAA record does not name a domain",
    "It matches no issuer, so that it forbids without being noticed.",
    (facts) =>
      [...issuersIn(facts, "issue"), ...issuersIn(facts, "issuewild")]
        .filter((one) => one !== "" && !/^[a-z0-9-]+(\.[a-z0-9-]+)+$/.test(one))
        .map((one) => ({ evidence: `“${one}”`, remedy: "write the issuer's own domain, as it names it for CAA" })),
  ],
  [
    "caa-notice",
    "untidy",
    "RFC 8659 section 4.4",
    "The address for refused requests cannot be used",
    "Nobody hears of attempts to get a certificate for the domain.",
    ({ caa }) =>
      caa.data
        .filter((data) => data.tag === "iodef" && !/^(mailto:[^@\s]+@[^@\s]+|https?:\/\/\S+)$/i.test(data.value))
        .map((data) => ({ evidence: `iodef “${data.value}”`, remedy: "write mailto: and an address, or an https address" })),
  ],
]);

const silent = ({ role }: Facts): boolean => role === "parked" || role === "redirect";

export const parked = rulesOf("parked", [
  [
    "parked-spf",
    "risks",
    "RFC 7208 section 10.1.2",
    "A domain that sends nothing does not say so by SPF",
    "Forgers like domains nobody looks after.",
    (facts) => {
      const parsed = facts.spfTexts.map(readSpfRecord)[0];
      const isNone =
        parsed?.ok === true &&
        parsed.value.terms.length === 1 &&
        parsed.value.terms.every((term) => isAll(term) && term.kind === "mechanism" && term.qualifier === "-");
      return when(
        silent(facts) && !isNone && facts.txt.answer.kind !== "failed",
        facts.spfTexts[0] ?? "there is no SPF record",
        `publish ${facts.plain} TXT "v=spf1 -all"`,
      );
    },
  ],
  [
    "parked-dmarc",
    "risks",
    "RFC 7489 section 6.3",
    "A domain that sends nothing does not have forged mail refused",
    "Forged mail in its name is delivered.",
    (facts) =>
      when(
        silent(facts) && facts.dmarcRecord?.policy !== "reject" && facts.dmarc.failed === undefined,
        facts.dmarcRecord?.text ?? "there is no DMARC policy",
        `publish _dmarc.${facts.plain} TXT "v=DMARC1; p=reject"`,
      ),
  ],
  [
    "parked-mail",
    "untidy",
    "RFC 7505 section 3",
    "A domain that takes no mail does not say so",
    "Mistyped mail waits for days instead of coming back at once.",
    (facts) =>
      when(
        facts.role === "parked" && !facts.mx.data.some((data) => data.exchange === ".") && facts.mx.answer.kind !== "failed",
        facts.mx.data.length === 0
          ? "there is no MX record"
          : `mail goes to ${facts.mx.data.map((data) => displayName(data.exchange)).join(", ")}`,
        `publish ${facts.plain} MX 0 . (the server is a single dot)`,
      ),
  ],
  [
    "parked-keys",
    "untidy",
    "RFC 6376 section 3.6.1",
    "A domain that sends nothing does not revoke all DKIM keys",
    "A key left behind by a former service still signs for the domain.",
    (facts) =>
      when(
        facts.role === "parked" &&
          facts.anyKey.answer.kind !== "failed" &&
          !textsIn(facts.anyKey).some((text) => isKeyText(text) && readKeyRecord([text]).problem?.kind === "revoked"),
        "no revoked key answers for every selector",
        `publish *._domainkey.${facts.plain} TXT "v=DKIM1; p="`,
      ),
  ],
  [
    "parked-live-key",
    "risks",
    "RFC 6376 section 3.6.1",
    "A domain that sends nothing has a DKIM key that works",
    "Anyone who has the private key can send as this domain, and everything passes.",
    (facts) =>
      facts.role !== "parked"
        ? []
        : facts.keys
            .filter((one) => one.state === "usable")
            .map(({ selector }) => ({ evidence: `the selector ${selector} holds a key`, remedy: "remove it" })),
  ],
]);

/** Policies that receivers of MTA-STS and TLS reporting would count. */
const stsTexts = ({ mtaSts }: Facts): string[] => textsIn(mtaSts).filter((text) => /^v=STSv1/i.test(text));
const rptTexts = ({ tlsRpt }: Facts): string[] => textsIn(tlsRpt).filter((text) => /^v=TLSRPTv1/i.test(text));

export const transport = rulesOf("transport", [
  [
    "transport-misplaced",
    "risks",
    "RFC 8460 section 3",
    "A record about encrypted delivery is at a mistyped name",
    "Senders look at one name only, and find nothing there.",
    ({ misplaced }) =>
      misplaced.map(({ name, right, text }) => ({
        evidence: `${displayName(name)} says ${text}`,
        remedy: `move it to ${displayName(right)}`,
      })),
  ],
  [
    "mta-sts-syntax",
    "breaks",
    "RFC 8461 section 3.1",
    "The MTA-STS record cannot be read",
    "Senders pass it over, so that deliveries may go unencrypted.",
    (facts) =>
      stsTexts(facts)
        .filter((text) => !/^v=STSv1\s*;\s*id\s*=\s*[A-Za-z0-9]{1,32}\s*;?\s*$/.test(text))
        .map((text) => ({
          evidence: text,
          remedy: "write v=STSv1; id= and a number such as the date, for example v=STSv1; id=20260302",
        })),
  ],
  [
    "mta-sts-several",
    "breaks",
    "RFC 8461 section 3.1",
    "There are several MTA-STS records",
    "Senders treat the domain as if it had none.",
    (facts) => when(stsTexts(facts).length > 1, stsTexts(facts).join(" / "), "leave one"),
  ],
  [
    "mta-sts-host",
    "breaks",
    "RFC 8461 section 3.3",
    "MTA-STS is announced, and its policy has no place",
    "Senders cannot fetch the policy.",
    (facts) =>
      when(
        stsTexts(facts).length > 0 && facts.mtaStsHost.hasNone,
        `mta-sts.${facts.plain} has no address`,
        "put the policy on a web server at that name, or remove the record",
      ),
  ],
  [
    "mta-sts-nearly",
    "untidy",
    "RFC 8461 section 3.1",
    "Something else stands where an MTA-STS record belongs",
    "Senders pass it over.",
    (facts) =>
      textsIn(facts.mtaSts)
        .filter((text) => !/^v=STSv1/i.test(text))
        .map((text) => ({ evidence: text.slice(0, 60), remedy: "remove it" })),
  ],
  [
    "mta-sts-missing",
    "note",
    "RFC 8461 section 2",
    "Nothing asks senders to encrypt mail to the domain",
    "Most do so anyway; MTA-STS makes them insist.",
    (facts) =>
      when(
        facts.exchanges.length > 0 && (facts.mtaSts.answer.kind === "nodata" || facts.mtaSts.answer.kind === "nxdomain"),
        `there is no record at _mta-sts.${facts.plain}`,
        "ask the mailbox service whether it offers MTA-STS",
      ),
  ],
  [
    "tls-report-syntax",
    "risks",
    "RFC 8460 section 3",
    "The TLS reporting record cannot be read",
    "No reports on failed encryption arrive.",
    (facts) =>
      rptTexts(facts)
        .filter(
          (text) =>
            !/^v=TLSRPTv1\s*;\s*rua\s*=\s*(mailto:[^\s,;]+|https:\/\/[^\s,;]+)(\s*,\s*(mailto:|https:\/\/)[^\s,;]+)*\s*;?\s*$/.test(
              text,
            ),
        )
        .map((text) => ({ evidence: text, remedy: "write v=TLSRPTv1; rua=mailto: and an address" })),
  ],
  [
    "tls-report-missing",
    "untidy",
    "RFC 8460 section 3",
    "Nobody hears when encryption to the domain fails",
    "With MTA-STS in force, mail then waits without anybody knowing why.",
    (facts) =>
      when(
        stsTexts(facts).length > 0 && rptTexts(facts).length === 0 && facts.tlsRpt.answer.kind !== "failed",
        `there is no record at _smtp._tls.${facts.plain}`,
        `publish _smtp._tls.${facts.plain} TXT "v=TLSRPTv1; rua=mailto:tls@${facts.plain}"`,
      ),
  ],
]);

export const bulk = rulesOf("bulk", [
  [
    "bulk-one-of-two",
    "risks",
    "RFC 7489 section 3",
    "Only one of SPF and DKIM is set up",
    "Large receivers ask bulk senders for both.",
    ({ sends, spf, keys, anyKey, unresolved }) => {
      const hasSpf = "record" in spf;
      const hasKey = keys.some((one) => one.state === "usable") || anyKey.data.length > 0;
      const knows = !unresolved.some((one) => one.type === "TXT");
      return when(
        sends && knows && hasSpf !== hasKey,
        hasSpf ? "there is an SPF record, and no DKIM key was found" : "there is a DKIM key, and no SPF record",
        "publish both before a newsletter goes out",
      );
    },
  ],
  [
    "bulk-no-policy",
    "risks",
    "RFC 7489 section 6.3",
    "Newsletters go out without a DMARC policy",
    "Large receivers refuse bulk mail from domains without one.",
    ({ role, dmarc, plain }) =>
      when(
        role === "sending" && dmarc.record === undefined && dmarc.failed === undefined,
        `${plain} is a sending domain without a DMARC record`,
        `zandrel dmarc compose ${plain} --reports-to dmarc@${plain}`,
      ),
  ],
  [
    "bulk-no-answers",
    "risks",
    "RFC 5321 section 4.5.1",
    "A sending domain takes no answers",
    "Complaints and bounces are lost, and receivers distrust domains that cannot be written to.",
    ({ role, mx, apex, plain }) =>
      when(
        role === "sending" && mx.data.length === 0 && mx.answer.kind !== "failed" && apex.hasNone,
        `${plain} has neither a mail server nor an address`,
        "enter the mail servers of your mailbox service",
      ),
  ],
  [
    "bulk-reverse",
    "risks",
    "RFC 1912 section 2.1",
    "A sending address has no name that leads back to it",
    "Large receivers refuse mail from such servers.",
    ({ reverse }) =>
      reverse
        .filter(({ met }) => met === false)
        .map(({ because }) => ({
          evidence: because,
          remedy: "ask the operator of the server to set its reverse name",
        })),
  ],
  [
    "bulk-soft-policy",
    "note",
    "RFC 7489 section 6.3",
    "Logos and fewer checks are only for domains with a strict policy",
    "Some receivers show more trust in domains that have forged mail stopped.",
    ({ role, dmarcRecord }) =>
      when(role === "sending" && dmarcRecord?.policy === "none", "p=none", "tighten the policy when the reports allow it"),
  ],
]);
