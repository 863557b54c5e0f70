import type { CauseKind } from "../core/ownership/index.ts";

/** A record entered wrongly, as it happens in real life. `#` stands for a label that only this mistake uses. */
export interface Mistake {
  readonly title: string;
  /** What the service asked for, as zone-file lines relative to the domain. */
  readonly wanted: string;
  /** What is in the zone instead. */
  readonly entered: string;
  /** What really went wrong. */
  readonly cause: CauseKind;
}

const token = "pagewick-claim=77AA01bc-#";

/** Thirty mistakes to seed a zone of the lab with. */
export const MISTAKES: readonly Mistake[] = [
  {
    title: "the domain typed behind the host",
    wanted: `_# TXT "${token}"`,
    entered: `_#.puppetfest.example TXT "${token}"`,
    cause: "name-doubled",
  },
  {
    title: "the domain typed into the host field",
    wanted: `@ TXT "${token}"`,
    entered: `puppetfest.example TXT "${token}"`,
    cause: "name-doubled",
  },
  {
    title: "a CNAME's host doubled",
    wanted: "# CNAME sites.pagewick.example.",
    entered: "#.puppetfest.example CNAME sites.pagewick.example.",
    cause: "name-doubled",
  },
  { title: "the label forgotten", wanted: `_# TXT "${token}"`, entered: `@ TXT "${token}"`, cause: "at-apex" },
  {
    title: "an MX at the apex instead of its host",
    wanted: "# MX 10 in1.swiftquill.example.",
    entered: "@ MX 10 in1.swiftquill.example.",
    cause: "at-apex",
  },
  { title: "the underscore forgotten", wanted: `_# TXT "${token}"`, entered: `# TXT "${token}"`, cause: "at-label" },
  { title: "an underscore too many", wanted: `# TXT "${token}"`, entered: `_# TXT "${token}"`, cause: "at-label" },
  { title: "at www instead of the domain itself", wanted: `@ TXT "${token}"`, entered: `www TXT "${token}"`, cause: "at-label" },
  { title: "an @ taken for a label", wanted: `@ TXT "${token}"`, entered: `\\@ TXT "${token}"`, cause: "at-label" },
  {
    title: "only the first label of a long host",
    wanted: `#._domainkey TXT "${token}"`,
    entered: `# TXT "${token}"`,
    cause: "at-label",
  },
  {
    title: "quoted by the user and the form",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "\\"${token}\\""`,
    cause: "quoted-twice",
  },
  { title: "quoted with apostrophes", wanted: `_# TXT "${token}"`, entered: `_# TXT "'${token}'"`, cause: "quoted-twice" },
  {
    title: "typographic quotes",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "\\226\\128\\156${token}\\226\\128\\157"`,
    cause: "typographic",
  },
  {
    title: "a dash that a text editor made",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "${token.replace("-", "\\226\\128\\147")}"`,
    cause: "typographic",
  },
  { title: "a space behind it", wanted: `_# TXT "${token}"`, entered: `_# TXT "${token} "`, cause: "white-space" },
  {
    title: "a non-breaking space in front",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "\\194\\160${token}"`,
    cause: "white-space",
  },
  {
    title: "wrapped in a mail",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "${token.slice(0, 12)} ${token.slice(12)}"`,
    cause: "wrapped",
  },
  {
    title: "capital letters lost",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "${token.toLowerCase()}"`,
    cause: "case-changed",
  },
  {
    title: "backslashes from a program",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "${token.replace("=", "\\\\=")}"`,
    cause: "escaped",
  },
  {
    title: "the markup of the page",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "&quot;${token}&quot;"`,
    cause: "html-entities",
  },
  { title: "the end cut off", wanted: `_# TXT "${token}"`, entered: `_# TXT "${token.slice(0, 20)}"`, cause: "cut" },
  {
    title: "two records instead of one",
    wanted: `_# TXT "${token}"`,
    entered: `_# TXT "${token.slice(0, 10)}"\n_# TXT "${token.slice(10)}"`,
    cause: "split-records",
  },
  { title: "the type typed into the value", wanted: `_# TXT "${token}"`, entered: `_# TXT "TXT ${token}"`, cause: "extra-text" },
  { title: "last year's token", wanted: `_# TXT "${token}"`, entered: '_# TXT "pagewick-claim=0000"', cause: "other-value" },
  {
    title: "the final dot of a target forgotten",
    wanted: "# CNAME sites.pagewick.example.",
    entered: "# CNAME sites.pagewick.example",
    cause: "target-doubled",
  },
  {
    title: "the final dot of a mail server forgotten",
    wanted: "# MX 10 in1.swiftquill.example.",
    entered: "# MX 10 in1.swiftquill.example",
    cause: "target-doubled",
  },
  {
    title: "the address of a page as target",
    wanted: "# CNAME sites.pagewick.example.",
    entered: "# CNAME https://sites.pagewick.example.",
    cause: "target-is-url",
  },
  {
    title: "a CNAME entered as TXT",
    wanted: "# CNAME sites.pagewick.example.",
    entered: '# TXT "sites.pagewick.example"',
    cause: "wrong-type",
  },
  {
    title: "an alias in the way of a text",
    wanted: `# TXT "${token}"`,
    entered: "# CNAME parked.nettlehost.example.",
    cause: "alias-in-the-way",
  },
  {
    title: "a wildcard that answers instead",
    wanted: `x.# TXT "${token}"`,
    entered: '*.# TXT "nonsense"',
    cause: "wildcard-answers",
  },
  {
    title: "a part of the domain that was handed on",
    wanted: `x.# TXT "${token}"`,
    entered: "# NS ns1.zonemarrow.example.",
    cause: "below-zone-cut",
  },
  {
    title: "two SPF records",
    wanted: '# TXT "v=spf1 include:spf.swiftquill.example -all"',
    entered: '# TXT "v=spf1 mx -all"\n# TXT "v=spf1 include:spf.swiftquill.example ~all"',
    cause: "second-spf",
  },
  {
    title: "an SPF record with a slip",
    wanted: '# TXT "v=spf1 include:spf.swiftquill.example -all"',
    entered: '# TXT "v=spf1 include: spf.swiftquill.example -all"',
    cause: "broken-spf",
  },
  {
    title: "two DMARC records",
    wanted: '_dmarc.# TXT "v=DMARC1; p=none"',
    entered: '_dmarc.# TXT "v=DMARC1; p=none"\n_dmarc.# TXT "v=DMARC1; p=reject"',
    cause: "second-dmarc",
  },
];
