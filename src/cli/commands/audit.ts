import { statSync } from "node:fs";
import { relative } from "node:path";
import { z } from "zod";
import { survey } from "../../app/asks/survey.ts";
import { type DnsContext, nameOperand, openDns, resolverOptions } from "../../app/dns/context.ts";
import { type Audit, audit, CATALOGUE, isAtLeast, SEVERITIES, type Severity } from "../../core/audit/index.ts";
import { keyNameOf } from "../../core/dkim/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { decodeUtf8, isOfType, txtValue } from "../../core/record/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import { EXIT, type ExitCode, UserError } from "../../core/user-error.ts";
import {
  columns,
  count,
  csvReport,
  junitReport,
  type ReportedDomain,
  type Style,
  sarifReport,
  visible,
  wrap,
} from "../../present/index.ts";
import { type Domain, findWorkspace, type Journal, keyPath, openWorkspace, type Workspace } from "../../workspace/index.ts";
import { type Arguments, type Context, command } from "../command.ts";
import { knownSelectors, privateKeyOf } from "./dkim/check.ts";

const result = z.object({
  domains: z.array(
    z.object({
      domain: z.string(),
      findings: z.array(
        z.object({
          id: z.string(),
          area: z.string(),
          severity: z.enum(SEVERITIES),
          title: z.string(),
          evidence: z.string(),
          why: z.string(),
          remedy: z.string(),
          standard: z.string(),
        }),
      ),
      unresolved: z
        .array(z.object({ name: z.string(), type: z.string(), because: z.string() }))
        .describe("questions nobody could answer; a finding may be missing because of them"),
    }),
  ),
  catalogue: z
    .array(
      z.object({
        id: z.string(),
        area: z.string(),
        severity: z.enum(SEVERITIES),
        title: z.string(),
        why: z.string(),
        standard: z.string(),
      }),
    )
    .describe("only with --list"),
});
type Result = z.output<typeof result>;

const FORMATS = ["text", "csv", "junit", "sarif"] as const;

/** Audits one domain with whatever the workspace knows of it. */
async function auditOne(
  domain: DomainName,
  own: Domain | undefined,
  workspace: Workspace | undefined,
  journal: Journal | undefined,
  dns: DnsContext,
  extra: readonly string[],
  context: Context,
): Promise<Audit> {
  const surveyed = own === undefined || workspace === undefined ? undefined : await survey(own, dns, workspace, journal);
  const look = surveyed?.look ?? (await dns.look({ name: domain, host: undefined }));
  const selectors = [...new Set([...extra, ...knownSelectors(workspace, domain, dns.names)])];
  const files =
    workspace === undefined
      ? []
      : selectors
          .filter((one) => privateKeyOf(workspace, domain, one) !== undefined)
          .map((one) => keyPath(workspace.folder, domain, one));
  const flattened = journal?.entries(domain, "spf-shrunk").at(-1)?.sources ?? [];
  return audit({
    domain,
    role: own?.role,
    lookup: look.lookup ?? dns.world,
    world: dns.world,
    authority: look.authority,
    organizationalDomain,
    selectors: selectors.map((selector) => {
      const key = privateKeyOf(workspace, domain, selector);
      return { selector, ...(key === undefined ? {} : { own: key }) };
    }),
    openKeyFiles: files.filter((path) => (statSync(path).mode & 0o077) !== 0).map((path) => relative(context.cwd, path)),
    asks: (surveyed?.asks ?? []).map(({ ask, state, because }) => ({ id: ask.id, state, because })),
    wantedTexts: (own?.asks ?? []).flatMap((ask) =>
      ask.wanted.flatMap((set) =>
        set.name === domain && isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))) : [],
      ),
    ),
    undelegatedHosts: look.undelegatedHosts.map((one) => one.title),
    issuers:
      workspace === undefined || own === undefined
        ? []
        : Object.entries(workspace.settings.services).flatMap(([key, { title, issuer }]) =>
            issuer === undefined || !own.asks.some((ask) => ask.service === key) ? [] : [{ title, issuer }],
          ),
    flattened,
  });
}

const listing = (): Result => ({ domains: [], catalogue: CATALOGUE.map(({ check: _, ...rule }) => rule) });

/** Domains, findings and open questions as reports want them: names for people. */
const reported = ({ domains }: Result): ReportedDomain[] =>
  domains.map(({ domain, findings, unresolved }) => ({
    domain: domain.replace(/\.$/, ""),
    findings,
    unresolved: unresolved.map(
      (one) => `${one.type} of ${displayName(one.name as DomainName)} could not be asked: ${one.because}`,
    ),
  }));

function present({ domains, catalogue }: Result, { style, width }: { style: Style; width: number }): string {
  const paint: Record<Severity, (text: string) => string> = {
    breaks: style.bad,
    risks: style.careful,
    untidy: (text) => text,
    note: style.quiet,
  };
  const mark: Record<Severity, string> = { breaks: "✗", risks: "!", untidy: "·", note: "○" };
  if (catalogue.length > 0)
    return `${columns(catalogue.map((rule) => [rule.id, rule.severity, rule.title])).join("\n")}\n${catalogue.length} findings.\n`;
  return domains
    .map(({ domain, findings, unresolved }) => {
      const blocks = findings.map((one) =>
        [
          `${paint[one.severity](`${mark[one.severity]} ${one.severity.padEnd(6)}`)} ${style.strong(wrap(one.title, width - 9, " ".repeat(9)))}  ${style.quiet(one.id)}`,
          `         ${wrap(visible(one.evidence), width - 9, " ".repeat(9))}`,
          ...(one.severity === "note" ? [] : [`         ${wrap(visible(one.why), width - 9, " ".repeat(9))}`]),
          `         ${style.command("→")} ${wrap(visible(one.remedy), width - 11, " ".repeat(11))}  ${style.quiet(`(${one.standard})`)}`,
        ].join("\n"),
      );
      const numbers = SEVERITIES.flatMap((severity) => {
        const number = findings.filter((one) => one.severity === severity).length;
        return number === 0 ? [] : [`${severity} ${number}`];
      });
      const open =
        unresolved.length === 0
          ? []
          : [
              style.careful(
                wrap(
                  `Could not be asked, so that something may be missing here: ${[...new Set(unresolved.map((one) => `${one.type} of ${displayName(one.name as DomainName)}`))].slice(0, 8).join(", ")}${unresolved.length > 8 ? ` and ${unresolved.length - 8} more` : ""}.`,
                  width,
                ),
              ),
            ];
      return [
        style.title(`Audit of ${displayName(domain as DomainName)}`),
        ...blocks,
        ...open,
        findings.length === 0
          ? style.good("Nothing to say: all is as it should be.")
          : `${count(findings.length, "finding")}: ${numbers.join(", ")}.`,
        "",
      ].join("\n");
    })
    .join("\n");
}

function formatted(shown: Result, args: Arguments): string {
  const threshold = args["fail-on"] as Severity | "never";
  switch (args.format) {
    case "csv":
      return csvReport(reported(shown));
    case "junit":
      return junitReport(reported(shown), (severity) => threshold !== "never" && isAtLeast(severity as Severity, threshold));
    default:
      return sarifReport(reported(shown), CATALOGUE, process.env.ZANDREL_VERSION ?? "0");
  }
}

export default command<Result>({
  name: "audit",
  operands: "DOMAIN..",
  summary: "everything that is wrong with a domain's delegation, mail, keys, policies and site, what it means, and what to do",
  examples: [
    ["zandrel audit brackwater.example", "one domain, the worst first"],
    ["zandrel audit brackwater.example puppetfest.example --fail-on breaks --format junit", "for a pipeline"],
    ["zandrel audit brackwater.example --zone-file brackwater.example.zone", "a zone before it is published"],
    ["zandrel audit --list", "all that it can say"],
  ],
  options: {
    ...resolverOptions,
    selector: {
      type: "string",
      array: true,
      requiresArg: true,
      describe: "a DKIM selector to look at (repeatable; those of the workspace and usual ones are looked at anyway)",
    },
    "fail-on": {
      choices: [...SEVERITIES, "never"],
      default: "risks",
      requiresArg: true,
      describe: "end with 1 from this severity upwards",
    },
    format: {
      choices: FORMATS,
      default: "text",
      requiresArg: true,
      describe: "text, CSV for spreadsheets, JUnit XML or SARIF for pipelines (JSON: --json)",
    },
    list: { type: "boolean", default: false, describe: "print the catalogue of findings" },
  },
  schema: result,
  async run(args, context) {
    if (args.list === true) return { exit: EXIT.ok, result: listing() };
    const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
    const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
    const names = args._.length > 0 ? args._.map(nameOperand) : (workspace?.domains ?? []).map((one) => one.name);
    if (names.length === 0) throw new UserError("zandrel audit wants a domain: for example zandrel audit brackwater.example.");
    const selectors = (args.selector as string[] | undefined) ?? [];
    for (const one of selectors)
      if (keyNameOf(names[0] as DomainName, one) === undefined)
        throw new UserError(`“${visible(one)}” is not a selector: it is the word in front of ._domainkey.`);
    const dns = openDns(args, context, workspace?.settings, names);
    const journal = workspace?.hasJournal === true ? await workspace.openJournal() : undefined;
    try {
      const domains: Result["domains"] = [];
      for (const name of names) {
        const own = workspace?.domains.find((one) => one.name === name);
        const { findings, unresolved } = await auditOne(name, own, workspace, journal, dns, selectors, context);
        domains.push({
          domain: name,
          findings: findings.map((one) => ({ ...one })),
          unresolved: unresolved.map((one) => ({ ...one })),
        });
      }
      const shown: Result = { domains, catalogue: [] };
      const threshold = args["fail-on"] as Severity | "never";
      const fails =
        threshold !== "never" && domains.some(({ findings }) => findings.some((one) => isAtLeast(one.severity, threshold)));
      const exit: ExitCode = fails ? EXIT.not : domains.some((one) => one.unresolved.length > 0) ? EXIT.undetermined : EXIT.ok;
      if (context.json || args.format === "text") return { exit, result: shown };
      await context.write(Buffer.from(formatted(shown, args)));
      return { exit };
    } finally {
      journal?.close();
      dns.close();
    }
  },
  present,
});
