import { z } from "zod";
import { nameOperand, openDns, resolverOptions } from "../../../app/dns/context.ts";
import { memoized } from "../../../core/lookup/index.ts";
import { displayName } from "../../../core/name/index.ts";
import { printData, splitCharacterStrings } from "../../../core/record/index.ts";
import { flattenSpf, lookupSpf, MAX_LOOKUPS, readSpfRecord, spfTree, treeLookups } from "../../../core/spf/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { count, visible, wrap } from "../../../present/index.ts";
import { findWorkspace, openWorkspace } from "../../../workspace/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  domain: z.string(),
  before: z.string(),
  after: z.string(),
  lines: z.array(z.string()).describe("every record to publish, as master-file lines"),
  parts: z
    .array(z.object({ name: z.string(), record: z.string() }))
    .describe("further names, where one record would be too long"),
  sources: z.array(z.object({ term: z.string(), addresses: z.array(z.string()) })),
  lookups: z.object({ before: z.number(), after: z.number(), limit: z.number() }),
  remembered: z.boolean().describe("whether the journal remembers the sources, so that the audit can say when they move"),
});
type Result = z.output<typeof result>;

export default command<Result>({
  name: "spf shrink",
  operands: "DOMAIN --include NAME",
  summary: "write the addresses an include stands for today in its place, so that receivers have to ask less",
  examples: [
    ["zandrel spf shrink brackwater.example --include spf.heronpost.example", "show the record"],
    ["zandrel spf shrink brackwater.example --include spf.heronpost.example --remember", "and have the audit watch the source"],
  ],
  options: {
    ...resolverOptions,
    include: { type: "string", array: true, requiresArg: true, describe: "the include to replace (repeatable)" },
    remember: { type: "boolean", default: false, describe: "remember what it was made from; zandrel audit says when that moves" },
  },
  schema: result,
  async run(args, context) {
    const [operand, ...more] = args._;
    const includes = (args.include as string[] | undefined) ?? [];
    if (operand === undefined || more.length > 0 || includes.length === 0)
      throw new UserError(
        "zandrel spf shrink wants one domain and --include: for example zandrel spf shrink brackwater.example --include spf.heronpost.example.",
      );
    const domain = nameOperand(operand);
    const plain = domain.slice(0, -1);
    const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
    const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
    if (args.remember === true && workspace === undefined)
      throw new UserError("--remember needs a workspace: start one with zandrel init DOMAIN.");
    const dns = openDns(args, context, workspace?.settings, [domain]);
    try {
      const lookup = memoized(dns.world);
      const own = await lookupSpf(plain, lookup);
      if ("problem" in own)
        throw new UserError(
          `nothing can be shrunk, because ${own.problem.because}.`,
          own.problem.kind === "failed" ? EXIT.undetermined : EXIT.not,
        );
      const flattened = await flattenSpf(own.record, domain, includes, lookup);
      if (!flattened.ok)
        throw new UserError(
          `${visible(flattened.error.term)} cannot be replaced by addresses: ${visible(flattened.error.because)}.`,
          EXIT.not,
        );
      const { text, parts, sources } = flattened.value;
      const parsed = readSpfRecord(text);
      // Records that are not published yet cost one question each.
      const after = parsed.ok ? treeLookups(await spfTree(parsed.value, plain, lookup, { addresses: false })) : 0;
      if (args.remember === true && workspace !== undefined) {
        const journal = await workspace.openJournal();
        try {
          journal.append(dns.now, domain, { kind: "spf-shrunk", record: text, sources: sources.map((one) => ({ ...one })) });
        } finally {
          journal.close();
        }
      }
      const ttl = workspace?.settings.defaults.ttl ?? 3600;
      return {
        exit: EXIT.ok,
        result: {
          domain,
          before: own.record.text,
          after: text,
          lines: [{ name: domain, text }, ...parts].map(
            (one) => `${one.name} ${ttl} IN TXT ${printData("TXT", { strings: splitCharacterStrings(one.text) })}`,
          ),
          parts: parts.map(({ name, text: record }) => ({ name, record })),
          sources: sources.map(({ term, addresses }) => ({ term, addresses: [...addresses] })),
          lookups: {
            before: treeLookups(await spfTree(own.record, plain, lookup, { addresses: false })),
            after,
            limit: MAX_LOOKUPS,
          },
          remembered: args.remember === true,
        },
      };
    } finally {
      dns.close();
    }
  },
  present({ domain, before, sources, lines, lookups, remembered }, { style, width }) {
    return [
      style.title(
        `A shorter way for ${displayName(domain as never)}: ${count(lookups.before, "lookup")} become ${lookups.after}`,
      ),
      `${style.removed("today")}  ${visible(before)}`,
      ...sources.map((one) =>
        wrap(`${visible(one.term)} stands for ${one.addresses.map((address) => address.slice(4)).join(", ")}`, width, "  "),
      ),
      "",
      "Publish in its place:",
      ...lines.map((line) => style.added(visible(line))),
      "",
      style.careful(
        wrap(
          remembered
            ? "The service may move to other addresses without telling anybody. What this was made from is remembered: run zandrel audit now and then, it says so."
            : "The service may move to other addresses without telling anybody, and mail then fails. With --remember zandrel audit says when that happens.",
          width,
        ),
      ),
      "",
    ].join("\n");
  },
});
