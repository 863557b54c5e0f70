import { z } from "zod";
import { addAsks, ownService } from "../../../app/asks/add.ts";
import { nameOperand, openDns, resolverOptions } from "../../../app/dns/context.ts";
import { reportsAllow } from "../../../app/reports/reported.ts";
import { withoutRootDot } from "../../../app/shapes.ts";
import { dmarcName } from "../../../core/ask/index.ts";
import { composeDmarc, discoverByWalk, dmarcInWords, POLICIES, type Policy, readDmarcRecord } from "../../../core/dmarc/index.ts";
import { memoized } from "../../../core/lookup/index.ts";
import { type DomainName, displayName } from "../../../core/name/index.ts";
import { octetsOf, type ResourceRecord, splitCharacterStrings } from "../../../core/record/index.ts";
import { organizationalDomain } from "../../../core/suffix/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { visible, wrap } from "../../../present/index.ts";
import { findWorkspace, openWorkspace } from "../../../workspace/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  domain: z.string(),
  record: z.string(),
  line: z.string().describe("the record as a master-file line"),
  words: z.array(z.string()),
  before: z.string().nullable().describe("the record that is there today"),
  obstacles: z.array(z.object({ kind: z.string(), because: z.string(), wayOut: z.string() })),
  permissions: z
    .array(z.object({ destination: z.string(), line: z.string(), ask: z.string().nullable() }))
    .describe("records that the owners of report destinations must publish"),
  remarks: z.array(z.string()),
  ask: z.string().nullable(),
});
type Result = z.output<typeof result>;

export default command<Result>({
  name: "dmarc compose",
  operands: "DOMAIN",
  summary: "compose a DMARC record from a few answers, with guard rails against stopping your own mail",
  examples: [
    ["zandrel dmarc compose brackwater.example --reports-to dmarc@brackwater.example", "the first record: watch, stop nothing"],
    [
      "zandrel dmarc compose brackwater.example --policy quarantine --gradual --reports-to dmarc@brackwater.example --write",
      "tighten it, and take down the ask",
    ],
    ["zandrel dmarc compose puppetfest.example --policy reject --insist --no-reports", "a domain that sends no mail at all"],
  ],
  options: {
    ...resolverOptions,
    policy: { choices: POLICIES, default: "none", requiresArg: true, describe: "what receivers do with mail that fails" },
    subdomains: { choices: POLICIES, requiresArg: true, describe: "the same for subdomains (as the domain if not given)" },
    nonexistent: { choices: POLICIES, requiresArg: true, describe: "the same for subdomains that do not exist" },
    "reports-to": { type: "string", array: true, requiresArg: true, describe: "address for daily reports (repeatable)" },
    "failures-to": {
      type: "string",
      array: true,
      requiresArg: true,
      describe: "address for reports on single messages (repeatable)",
    },
    reports: { type: "boolean", default: true, describe: "--no-reports if no reports are wanted" },
    "strict-dkim": { type: "boolean", default: false, describe: "a signature counts only for the very domain in From" },
    "strict-spf": { type: "boolean", default: false, describe: "SPF counts only for the very domain in From" },
    gradual: { type: "boolean", default: false, describe: "try it out: receivers apply one step milder" },
    insist: { type: "boolean", default: false, describe: "a strict policy although no reports were seen that allow it" },
    service: { type: "string", requiresArg: true, describe: "the service that asks for it (your own mail if not given)" },
    write: { type: "boolean", default: false, describe: "take the record down as an ask" },
  },
  schema: result,
  async run(args, context) {
    const [operand, ...more] = args._;
    if (operand === undefined || more.length > 0)
      throw new UserError(
        "zandrel dmarc compose wants one domain: for example zandrel dmarc compose brackwater.example --reports-to dmarc@brackwater.example.",
      );
    const domain = nameOperand(operand);
    const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
    const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
    const dns = openDns(args, context, workspace?.settings, [domain]);
    try {
      const found = await discoverByWalk(domain, memoized(dns.world));
      const inWorkspace = workspace?.domains.find((one) => one.name === domain);
      const existing = found.at === domain ? found.record : undefined;
      const policy = args.policy as Policy;
      const inReports = workspace?.hasReports === true && policy !== "none" && inWorkspace !== undefined;
      const allowed = inReports
        ? await reportsAllow(args, context, domain, policy).catch((error) => {
            // Without reports that can be read nothing is allowed by them; a defect stays one.
            if (!(error instanceof UserError)) throw error;
            return undefined;
          })
        : undefined;
      const composed = composeDmarc(
        {
          policy,
          ...(args.subdomains === undefined ? {} : { subdomains: args.subdomains as Policy }),
          ...(args.nonexistent === undefined ? {} : { nonexistent: args.nonexistent as Policy }),
          aggregate: (args["reports-to"] as string[] | undefined) ?? [],
          failure: (args["failures-to"] as string[] | undefined) ?? [],
          strictDkim: args["strict-dkim"] === true,
          strictSpf: args["strict-spf"] === true,
          gradual: args.gradual === true,
        },
        {
          domain,
          organizational: organizationalDomain(domain),
          ...(existing === undefined ? {} : { existing }),
          ...(allowed === undefined ? {} : { reportsAllow: allowed }),
          rua: args.reports === false ? "declined" : "wanted",
          insists: args.insist === true,
        },
      );
      const read = readDmarcRecord(composed.text);
      const ttl = workspace?.settings.defaults.ttl ?? 3600;
      const txt = (name: DomainName, text: string): ResourceRecord => ({
        name,
        type: "TXT",
        ttl,
        data: { strings: splitCharacterStrings(octetsOf(text)) },
      });
      let ask: string | null = null;
      const given = new Map<DomainName, string>();
      if (args.write === true && composed.obstacles.length === 0) {
        if (workspace === undefined || inWorkspace === undefined)
          throw new UserError(
            `${displayName(domain)} is in no workspace, so that nothing can be taken down: add it with zandrel init ${withoutRootDot(domain)}.`,
          );
        const service = ownService(workspace, args);
        ask = `${service.key}-dmarc`;
        const instead = inWorkspace.asks.some((one) => one.id === ask) ? ask : undefined;
        await addAsks(
          [
            {
              id: ask,
              service: service.key,
              purpose: "policy",
              domain,
              after: [],
              records: [txt(dmarcName(domain), composed.text)],
            },
          ],
          service,
          inWorkspace,
          workspace,
          context,
          instead,
        );
        for (const { destination, name, text } of composed.permissions) {
          const owner = workspace.domains.find((one) => one.name === destination);
          const id = `${service.key}-reports-${withoutRootDot(domain).replace(/[^a-z0-9]+/g, "-")}`.slice(0, 63);
          if (owner === undefined || owner.asks.some((one) => one.id === id)) continue;
          await addAsks(
            [{ id, service: service.key, purpose: "policy", domain: destination, after: [], records: [txt(name, text)] }],
            { ...service, added: false },
            owner,
            workspace,
            context,
          );
          given.set(destination, id);
        }
      }
      return {
        exit: composed.obstacles.length > 0 ? EXIT.not : EXIT.ok,
        result: {
          domain,
          record: composed.text,
          line: `${dmarcName(domain)} ${ttl} IN TXT "${composed.text}"`,
          words: read.ok ? dmarcInWords(read.value) : [],
          before: existing?.text ?? null,
          obstacles: composed.obstacles.map((one) => ({ ...one })),
          permissions: composed.permissions.map(({ destination, name, text }) => ({
            destination,
            line: `${name} ${ttl} IN TXT "${text}"`,
            ask: given.get(destination) ?? null,
          })),
          remarks: [
            ...composed.remarks,
            ...(found.failed === undefined ? [] : [`what is published today could not be asked: ${found.failed}`]),
          ],
          ask,
        },
      };
    } finally {
      dns.close();
    }
  },
  present({ domain, record, line, words, before, obstacles, permissions, remarks, ask }, { style, width }) {
    const plain = displayName(domain as DomainName);
    const list = [
      style.title(`DMARC record for ${plain}`),
      ...(before === null ? [] : [`${style.removed("today")}  ${visible(before)}`]),
      `${style.added("new")}    ${visible(record)}`,
      ...words.map((one) => wrap(visible(one), width)),
    ];
    for (const { because, wayOut } of obstacles)
      list.push("", style.bad(wrap(`Not yet: ${visible(because)}.`, width)), wrap(`Way out: ${visible(wayOut)}.`, width));
    for (const one of permissions)
      list.push(
        "",
        wrap(
          `The owner of ${displayName(one.destination as DomainName)} must publish this, so that receivers send reports there${one.ask === null ? "; send it to them" : `; taken down as ${one.ask}`}:`,
          width,
        ),
        style.quiet(one.line),
      );
    for (const one of remarks) list.push(style.quiet(wrap(`Note: ${visible(one)}.`, width)));
    if (obstacles.length === 0)
      list.push(
        "",
        ask === null
          ? wrap(
              `Publish it at ${withoutRootDot(dmarcName(domain as DomainName))}, or run the command again with --write so that Zandrel does it.`,
              width,
            )
          : `${style.good("taken down")} as ${ask}. Next: ${style.command(`zandrel draft ${plain}${before === null ? "" : ` --replace _dmarc.${plain}`}`)}`,
        style.quiet(line),
      );
    return `${list.join("\n")}\n`;
  },
});
