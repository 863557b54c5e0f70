import { z } from "zod";
import { nameOperand, openDns, resolverOptions } from "../../../app/dns/context.ts";
import {
  destinationOf,
  discover,
  discoveryDifference,
  dmarcInWords,
  readDmarcRecord,
  scenarios,
  verifyExternalDestination,
} from "../../../core/dmarc/index.ts";
import { memoized } from "../../../core/lookup/index.ts";
import { type DomainName, displayName } from "../../../core/name/index.ts";
import { organizationalDomain } from "../../../core/suffix/index.ts";
import type { Mistake } from "../../../core/tag-list.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { columns, visible, wrap } from "../../../present/index.ts";
import { findWorkspace, openWorkspace } from "../../../workspace/index.ts";
import { command } from "../../command.ts";
import { discoveryOption } from "../message/judge.ts";

const policy = z.enum(["none", "quarantine", "reject"]);
const mistakes = z.array(z.object({ at: z.number(), text: z.string(), message: z.string(), meant: z.string().nullable() }));

const result = z.object({
  domain: z.string().nullable().describe("null where a record was given instead of a domain"),
  record: z.string().nullable(),
  at: z.string().nullable().describe("the domain whose record counts"),
  organizational: z.string().nullable(),
  because: z.string().nullable().describe("why no record counts, or why it cannot be said"),
  words: z.array(z.string()),
  mistakes,
  scenarios: z.array(
    z.object({
      kind: z.enum(["domain", "subdomain", "made-up"]),
      from: z.string(),
      policy: policy.nullable(),
      tag: z.string().nullable(),
      aligned: policy,
      unaligned: policy,
      forged: policy,
    }),
  ),
  difference: z.string().nullable().describe("where older and newer receivers find different policies"),
  destinations: z.array(z.object({ destination: z.string(), permission: z.enum(["own", "granted", "missing", "unknown"]) })),
});
type Result = z.output<typeof result>;

const mistakeJson = ({ at, text, message, meant }: Mistake): Result["mistakes"][number] => ({
  at,
  text,
  message,
  meant: meant ?? null,
});

const HAPPENS = { none: "delivered", quarantine: "junk folder", reject: "refused" } as const;

/** A record with a mark under the character a mistake is at. */
export function pointed(record: string, list: Result["mistakes"], width: number): string[] {
  return list.flatMap(({ at, message, meant }) => {
    const from = Math.max(0, Math.min(at - 20, record.length - (width - 4)));
    return [
      `  ${visible(record.slice(from, from + width - 4))}`,
      `  ${" ".repeat(Math.max(0, at - from))}^ ${visible(message)}${meant === null ? "" : `; did you mean ${visible(meant)}?`}`,
    ];
  });
}

function explainText(text: string): Result {
  const parsed = readDmarcRecord(text);
  return {
    domain: null,
    record: text,
    at: null,
    organizational: null,
    because: parsed.ok ? null : "receivers ignore this record",
    words: parsed.ok ? dmarcInWords(parsed.value) : [],
    mistakes: (parsed.ok ? parsed.value.mistakes : parsed.error).map(mistakeJson),
    scenarios: [],
    difference: null,
    destinations: [],
  };
}

export default command<Result>({
  name: "dmarc explain",
  operands: "DOMAIN|RECORD",
  summary: "say in words what a DMARC record does to real and to forged mail, for the domain and its subdomains",
  examples: [
    ["zandrel dmarc explain brackwater.example", "the record that is published"],
    ["zandrel dmarc explain 'v=DMARC1; p=quarrantine'", "a record before it is published, with its mistakes"],
  ],
  options: {
    ...resolverOptions,
    discovery: {
      choices: ["walk", "list"],
      default: "walk",
      requiresArg: true,
      describe: "find the policy by the walk up the tree, or by the public suffix list of RFC 7489",
    },
  },
  schema: result,
  async run(args, context) {
    if (args._.length === 0)
      throw new UserError(
        "zandrel dmarc explain wants a domain or a record: for example zandrel dmarc explain brackwater.example.",
      );
    const operand = args._.join(" ");
    if (operand.includes("=")) {
      const shown = explainText(operand);
      return { exit: shown.mistakes.length > 0 ? EXIT.not : EXIT.ok, result: shown };
    }
    const domain = nameOperand(operand);
    const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
    const settings = folder === undefined ? undefined : openWorkspace(context.cwd, folder).settings;
    const dns = openDns(args, context, settings, [domain]);
    try {
      const lookup = memoized(dns.world);
      const how = await discoveryOption(args);
      const found = await discover(domain, lookup, how);
      const other = await discover(domain, lookup, how.way === "walk" ? { way: "list", organizationalDomain } : { way: "walk" });
      const { record, at, failed, steps, organizational } = found;
      const own = steps[0]?.there;
      const because =
        record !== undefined
          ? null
          : failed !== undefined
            ? `it could not be asked for: ${failed}`
            : own?.kind === "several"
              ? `${own.texts.length} records stand there, so that none counts`
              : own?.kind === "unusable"
                ? "the record that stands there cannot be used"
                : "there is no record, so that receivers do with forged mail what they like";
      const destinations = await Promise.all(
        [
          ...new Set(
            (record === undefined ? [] : [...record.aggregate, ...record.failure]).flatMap((uri) => destinationOf(uri) ?? []),
          ),
        ].map(async (destination) => {
          const permission = await verifyExternalDestination(at as DomainName, organizational, destination, lookup);
          return { destination, permission: typeof permission === "string" ? permission : ("unknown" as const) };
        }),
      );
      const list = record?.mistakes ?? (own?.kind === "unusable" ? own.mistakes : []);
      const shown: Result = {
        domain,
        record: record?.text ?? (own?.kind === "unusable" ? own.text : null),
        at: at ?? null,
        organizational,
        because,
        words: record === undefined ? [] : dmarcInWords(record),
        mistakes: list.map(mistakeJson),
        scenarios: (await scenarios(domain, lookup, how)).map((one) => ({
          kind: one.kind,
          from: one.from,
          policy: one.policy ?? null,
          tag: one.tag ?? null,
          aligned: one.aligned,
          unaligned: one.unaligned,
          forged: one.forged,
        })),
        difference: (how.way === "walk" ? discoveryDifference(found, other) : discoveryDifference(other, found)) ?? null,
        destinations,
      };
      const wrong = record === undefined || list.length > 0 || destinations.some((one) => one.permission === "missing");
      return {
        exit: failed !== undefined && record === undefined ? EXIT.undetermined : wrong ? EXIT.not : EXIT.ok,
        result: shown,
      };
    } finally {
      dns.close();
    }
  },
  present(shown, { style, width }) {
    const { domain, record, at, because, words, difference, destinations } = shown;
    const whose = at !== null && at !== domain ? ` (the record of ${displayName(at as DomainName)} counts)` : "";
    const rows = shown.scenarios.map((one) => [
      one.kind === "domain"
        ? `From ${displayName(one.from as DomainName)}`
        : one.kind === "subdomain"
          ? "From one of its subdomains"
          : "From a subdomain that does not exist",
      one.tag === null ? "no policy" : `${one.tag}=${one.policy}`,
      one.kind === "made-up" ? "there is no real mail" : "delivered",
      one.kind === "made-up" ? "" : HAPPENS[one.unaligned],
      HAPPENS[one.forged],
    ]);
    const table =
      shown.scenarios.length === 0 || at === null
        ? []
        : [
            "",
            ...columns([["", "policy", "proven to be yours", "yours, but not proven", "forged"], ...rows], (cell, _, row) =>
              row === 0 ? style.quiet(cell) : cell,
            ),
          ];
    return [
      ...(domain === null ? [] : [style.title(`DMARC of ${displayName(domain as DomainName)}${whose}`)]),
      ...(record === null ? [] : [style.quiet(wrap(visible(record), width))]),
      ...(because === null ? [] : [style.bad(wrap(`${because[0]?.toUpperCase()}${visible(because).slice(1)}.`, width))]),
      ...(record === null ? [] : pointed(record, shown.mistakes, width).map((line) => style.careful(line))),
      ...words.map((line) => wrap(visible(line), width)),
      ...table,
      ...(difference === null ? [] : ["", style.careful(wrap(`Receivers differ: ${visible(difference)}.`, width))]),
      ...destinations
        .filter((one) => one.permission === "missing" || one.permission === "unknown")
        .map(({ destination, permission }) =>
          style.bad(
            wrap(
              permission === "missing"
                ? `Reports to ${displayName(destination as DomainName)} are not sent: that domain has not agreed to take them (see zandrel dmarc compose).`
                : `Whether ${displayName(destination as DomainName)} takes reports could not be asked.`,
              width,
            ),
          ),
        ),
      ...(at === null && domain !== null
        ? [
            "",
            `Next: ${style.command(`zandrel dmarc compose ${displayName(domain as DomainName)} --reports-to dmarc@${displayName(domain as DomainName)}`)}`,
          ]
        : []),
      "",
    ].join("\n");
  },
});
