import { displayName } from "../../../core/name/index.ts";
import { inWords } from "../../clauses/index.ts";
import { type AreaWords, namesOf } from "../say.ts";

export const CERTIFICATE: AreaWords<"certificate"> = {
  "caa-missing": {
    title: "Anybody may issue certificates for the domain",
    why: "That is how it is by default; a CAA record leaves fewer who can be tricked.",
    evidence: (_, { plain }) => `${plain} has no CAA record`,
    remedy: "name your certificate issuers in CAA records, if you know all of them",
  },
  "caa-forbids": {
    title: "Nobody may issue certificates for the domain",
    why: "The next renewal fails, and browsers then warn every visitor.",
    evidence: 'the only issue property is empty (issue ";")',
    remedy: "name the issuer of the site's certificate",
  },
  "caa-issuer": {
    title: "The issuer of your certificates is not allowed",
    why: "The certificate that is asked for, or its next renewal, is refused.",
    evidence: ({ allowed, issuer, title }) => `${title} is ${issuer}, and only ${allowed.join(", ") || "nobody"} may issue`,
    remedy: ({ issuer }, { plain }) => `add ${plain} CAA 0 issue "${issuer}"`,
  },
  "caa-critical": {
    title: "A CAA record demands something issuers do not know",
    why: "No issuer issues anything then.",
    evidence: ({ flags, tag }) => `CAA ${flags} ${tag}`,
    remedy: "remove the record, or set its flag to 0",
  },
  "caa-value": {
    title: "A CAA record does not name a domain",
    why: "It matches no issuer, so that it forbids without being noticed.",
    evidence: ({ value }) => `“${value}”`,
    remedy: "write the issuer's own domain, as it names it for CAA",
  },
  "caa-notice": {
    title: "The address for refused requests cannot be used",
    why: "Nobody hears of attempts to get a certificate for the domain.",
    evidence: ({ value }) => `iodef “${value}”`,
    remedy: "write mailto: and an address, or an https address",
  },
};

export const PARKED: AreaWords<"parked"> = {
  "parked-spf": {
    title: "A domain that sends nothing does not say so by SPF",
    why: "Forgers like domains nobody looks after.",
    evidence: ({ text }) => text ?? "there is no SPF record",
    remedy: (_, { plain }) => `publish ${plain} TXT "v=spf1 -all"`,
  },
  "parked-dmarc": {
    title: "A domain that sends nothing does not have forged mail refused",
    why: "Forged mail in its name is delivered.",
    evidence: ({ text }) => text ?? "there is no DMARC policy",
    remedy: (_, { plain }) => `publish _dmarc.${plain} TXT "v=DMARC1; p=reject"`,
  },
  "parked-mail": {
    title: "A domain that takes no mail does not say so",
    why: "Mistyped mail waits for days instead of coming back at once.",
    evidence: ({ exchanges }) => (exchanges.length === 0 ? "there is no MX record" : `mail goes to ${namesOf(exchanges)}`),
    remedy: (_, { plain }) => `publish ${plain} MX 0 . (the server is a single dot)`,
  },
  "parked-keys": {
    title: "A domain that sends nothing does not revoke all DKIM keys",
    why: "A key left behind by a former service still signs for the domain.",
    evidence: "no revoked key answers for every selector",
    remedy: (_, { plain }) => `publish *._domainkey.${plain} TXT "v=DKIM1; p="`,
  },
  "parked-live-key": {
    title: "A domain that sends nothing has a DKIM key that works",
    why: "Anyone who has the private key can send as this domain, and everything passes.",
    evidence: ({ selector }) => `the selector ${selector} holds a key`,
    remedy: "remove it",
  },
};

export const TRANSPORT: AreaWords<"transport"> = {
  "transport-misplaced": {
    title: "A record about encrypted delivery is at a mistyped name",
    why: "Senders look at one name only, and find nothing there.",
    evidence: ({ name, text }) => `${displayName(name)} says ${text}`,
    remedy: ({ right }) => `move it to ${displayName(right)}`,
  },
  "mta-sts-syntax": {
    title: "The MTA-STS record cannot be read",
    why: "Senders pass it over, so that deliveries may go unencrypted.",
    evidence: ({ text }) => text,
    remedy: "write v=STSv1; id= and a number such as the date, for example v=STSv1; id=20260302",
  },
  "mta-sts-several": {
    title: "There are several MTA-STS records",
    why: "Senders treat the domain as if it had none.",
    evidence: ({ texts }) => texts.join(" / "),
    remedy: "leave one",
  },
  "mta-sts-host": {
    title: "MTA-STS is announced, and its policy has no place",
    why: "Senders cannot fetch the policy.",
    evidence: (_, { plain }) => `mta-sts.${plain} has no address`,
    remedy: "put the policy on a web server at that name, or remove the record",
  },
  "mta-sts-nearly": {
    title: "Something else stands where an MTA-STS record belongs",
    why: "Senders pass it over.",
    evidence: ({ text }) => text.slice(0, 60),
    remedy: "remove it",
  },
  "mta-sts-missing": {
    title: "Nothing asks senders to encrypt mail to the domain",
    why: "Most do so anyway; MTA-STS makes them insist.",
    evidence: (_, { plain }) => `there is no record at _mta-sts.${plain}`,
    remedy: "ask the mailbox service whether it offers MTA-STS",
  },
  "tls-report-syntax": {
    title: "The TLS reporting record cannot be read",
    why: "No reports on failed encryption arrive.",
    evidence: ({ text }) => text,
    remedy: "write v=TLSRPTv1; rua=mailto: and an address",
  },
  "tls-report-missing": {
    title: "Nobody hears when encryption to the domain fails",
    why: "With MTA-STS in force, mail then waits without anybody knowing why.",
    evidence: (_, { plain }) => `there is no record at _smtp._tls.${plain}`,
    remedy: (_, { plain }) => `publish _smtp._tls.${plain} TXT "v=TLSRPTv1; rua=mailto:tls@${plain}"`,
  },
};

export const BULK: AreaWords<"bulk"> = {
  "bulk-one-of-two": {
    title: "Only one of SPF and DKIM is set up",
    why: "Large receivers ask bulk senders for both.",
    evidence: ({ hasSpf }) =>
      hasSpf ? "there is an SPF record, and no DKIM key was found" : "there is a DKIM key, and no SPF record",
    remedy: "publish both before a newsletter goes out",
  },
  "bulk-no-policy": {
    title: "Newsletters go out without a DMARC policy",
    why: "Large receivers refuse bulk mail from domains without one.",
    evidence: (_, { plain }) => `${plain} is a sending domain without a DMARC record`,
    remedy: (_, { plain }) => `zandrel dmarc compose ${plain} --reports-to dmarc@${plain}`,
  },
  "bulk-no-answers": {
    title: "A sending domain does not accept replies",
    why: "Complaints and bounces are lost, and receivers distrust domains that cannot be written to.",
    evidence: (_, { plain }) => `${plain} has neither a mail server nor an address`,
    remedy: "enter the mail servers of your mailbox service",
  },
  "bulk-reverse": {
    title: "A sending address has no name that leads back to it",
    why: "Large receivers refuse mail from such servers.",
    evidence: ({ because }) => inWords(because),
    remedy: "ask the operator of the server to set its reverse name",
  },
  "bulk-soft-policy": {
    title: "Logos and fewer checks are only for domains with a strict policy",
    why: "Some receivers show more trust in domains that have forged mail stopped.",
    evidence: "p=none",
    remedy: "tighten the policy when the reports allow it",
  },
};
