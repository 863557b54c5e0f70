import { stringify } from "csv-stringify/sync";

/** Findings in the forms that pipelines and spreadsheets read. */

/** One line of any of these reports. */
interface ReportedFinding {
  readonly domain: string;
  readonly id: string;
  readonly severity: string;
  readonly title: string;
  readonly why: string;
  readonly evidence: string;
  readonly remedy: string;
  readonly standard: string;
}

/** One domain that was looked at, and what could not be asked about it. */
export interface ReportedDomain {
  readonly domain: string;
  readonly findings: readonly Omit<ReportedFinding, "domain">[];
  readonly unresolved: readonly string[];
}

const rowsOf = (domains: readonly ReportedDomain[]): ReportedFinding[] =>
  domains.flatMap(({ domain, findings }) => findings.map((finding) => ({ domain, ...finding })));

/** A cell that no spreadsheet takes for a formula, whatever blanks and marks stand in front of it. */
const harmless = (text: string): string =>
  /^[\t\r\n|%]|^[\s\p{Cc}\p{Cf}'"]*[=+\-@\uff1d\uff0b\uff0d\uff20]/u.test(text) ? `'${text}` : text;

/** Lines of a table, ended by CRLF (RFC 4180), in which no cell is taken for a formula. */
export const csvLines = (rows: readonly (readonly string[])[]): string =>
  stringify(rows as string[][], { quoted: true, record_delimiter: "windows", cast: { string: harmless } });

/** A table with a head. */
export function csvReport(domains: readonly ReportedDomain[]): string {
  const columns = ["domain", "severity", "id", "title", "evidence", "remedy", "why", "standard"] as const;
  return csvLines([columns, ...rowsOf(domains).map((row) => columns.map((column) => row[column]))]);
}

/** Text inside XML: escaped, and without what XML does not allow at all. */
const xml = (text: string): string =>
  text
    .replace(
      /[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g,
      "\ufffd",
    )
    .replaceAll("&", "&amp;")
    .replaceAll("<", "&lt;")
    .replaceAll(">", "&gt;")
    .replaceAll('"', "&quot;");

/** What is before and behind the suites of a JUnit report. */
export const JUNIT = { head: '<?xml version="1.0" encoding="UTF-8"?>\n<testsuites>\n', foot: "</testsuites>\n" } as const;

/** The suite of one domain; a finding that fails is a failure, what could not be asked an error. */
export function junitSuite({ domain, findings, unresolved }: ReportedDomain, fails: (severity: string) => boolean): string {
  const failures = findings.filter((candidate) => fails(candidate.severity)).length;
  const cases = findings.map(({ id, severity, title, evidence, remedy, standard }) => {
    const text = xml(`${evidence}\nWhat to do: ${remedy}\n${standard}`);
    const inside = fails(severity)
      ? `<failure type="${xml(severity)}" message="${xml(title)}">${text}</failure>`
      : `<system-out>${text}</system-out>`;
    return `    <testcase classname="${xml(domain)}" name="${xml(id)}">${inside}</testcase>`;
  });
  const errors = unresolved.map(
    (one) => `    <testcase classname="${xml(domain)}" name="could-not-ask"><error message="${xml(one)}"/></testcase>`,
  );
  const passed = cases.length + errors.length === 0 ? [`    <testcase classname="${xml(domain)}" name="audit"/>`] : [];
  const all = [...cases, ...errors, ...passed];
  return `  <testsuite name="${xml(domain)}" tests="${all.length}" failures="${failures}" errors="${errors.length}">\n${all.join("\n")}\n  </testsuite>\n`;
}

/** The suite of something that was not looked at, and why. */
export const junitSkipped = (what: string, why: string): string =>
  `  <testsuite name="${xml(what)}" tests="1" failures="0" errors="0" skipped="1">\n    <testcase classname="${xml(what)}" name="not-looked-at"><skipped message="${xml(why)}"/></testcase>\n  </testsuite>\n`;

/** One suite a domain. */
export const junitReport = (domains: readonly ReportedDomain[], fails: (severity: string) => boolean): string =>
  `${JUNIT.head}${domains.map((reportedDomain) => junitSuite(reportedDomain, fails)).join("")}${JUNIT.foot}`;

/** What a catalogue entry has to say in a report. */
export interface ReportedRule {
  readonly id: string;
  readonly area: string;
  readonly severity: string;
  readonly title: string;
  readonly why: string;
  readonly standard: string;
}

const LEVEL: Readonly<Record<string, string>> = { breaks: "error", risks: "warning", untidy: "note", note: "note" };

/** SARIF 2.1.0, with every rule that has something to say. */
export function sarifReport(domains: readonly ReportedDomain[], rules: readonly ReportedRule[], version: string): string {
  const rows = rowsOf(domains);
  const used = rules.filter((rule) => rows.some((row) => row.id === rule.id));
  const report = {
    version: "2.1.0",
    runs: [
      {
        tool: {
          driver: {
            name: "zandrel",
            version,
            rules: used.map(({ id, title, why, standard, severity }) => ({
              id,
              shortDescription: { text: title },
              fullDescription: { text: why },
              help: { text: standard },
              defaultConfiguration: { level: LEVEL[severity] },
            })),
          },
        },
        invocations: [
          {
            executionSuccessful: domains.every((reportedDomain) => reportedDomain.unresolved.length === 0),
            toolExecutionNotifications: domains.flatMap((reportedDomain) =>
              reportedDomain.unresolved.map((text) => ({
                level: "warning",
                message: { text: `${reportedDomain.domain}: ${text}` },
              })),
            ),
          },
        ],
        results: rows.map((row) => ({
          ruleId: row.id,
          ruleIndex: used.findIndex((rule) => rule.id === row.id),
          level: LEVEL[row.severity],
          message: { text: `${row.evidence}. What to do: ${row.remedy}.` },
          locations: [{ logicalLocations: [{ fullyQualifiedName: row.domain, kind: "resource" }] }],
        })),
      },
    ],
  };
  return `${JSON.stringify(report, undefined, 2)}\n`;
}

/** The catalogue as a Markdown page, area by area. */
export function cataloguePage(rules: readonly ReportedRule[]): string {
  const cell = (text: string): string => text.replaceAll("|", "\\|").replaceAll("<", "&lt;");
  const areas = [...new Set(rules.map((rule) => rule.area))];
  const sections = areas.map((area) => {
    const rows = rules
      .filter((rule) => rule.area === area)
      .map((rule) => `| \`${rule.id}\` | ${rule.severity} | ${cell(rule.title)} | ${cell(rule.why)} | ${cell(rule.standard)} |`);
    return `## ${area}\n\n| id | severity | what | why it matters | standard |\n| -- | -- | -- | -- | -- |\n${rows.join("\n")}\n`;
  });
  return `# What the audit can say\n\nMade by \`npm run docs\` from the catalogue in \`src/core/audit\`; \`zandrel audit --list\` prints the same. The ${rules.length} ids are stable.\n\n- **breaks**: something does not work, or will be refused\n- **risks**: it works today, and may stop or be misused\n- **untidy**: it works, and makes the next mistake likelier\n- **note**: worth knowing; nothing has to be done\n\n${sections.join("\n")}`;
}
