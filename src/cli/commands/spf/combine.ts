import { z } from "zod";
import { nameOperand, openDns, resolverOptions } from "../../../app/dns/context.ts";
import { memoized } from "../../../core/lookup/index.ts";
import { displayName } from "../../../core/name/index.ts";
import { decodeUtf8, isOfType, txtValue } from "../../../core/record/index.ts";
import {
  combineThoroughly,
  isSpf,
  lookupSpf,
  MAX_LOOKUPS,
  readSpfRecord,
  type SpfRecord,
  type SpfTree,
  treeLookups,
} from "../../../core/spf/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { count, visible, wrap } from "../../../present/index.ts";
import { type Domain, findWorkspace, openWorkspace } from "../../../workspace/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  domain: z.string(),
  before: z.string().nullable(),
  after: z.string(),
  lookups: z.object({ before: z.number().nullable(), after: z.number(), limit: z.number() }),
  added: z.array(z.string()),
  dropped: z.array(z.object({ text: z.string(), because: z.string() })),
  unresolved: z.array(z.string()).describe("terms that could not be followed, so that the cost is at least that"),
  waysOut: z
    .array(z.object({ saves: z.number(), what: z.string() }))
    .describe("only where the limit is passed, the cheapest first"),
});
type Result = z.output<typeof result>;

/** The SPF terms that the asks of a domain want. */
function askedTerms(domain: Domain | undefined): SpfRecord[] {
  return (domain?.asks ?? []).flatMap((ask) =>
    ask.wanted.flatMap((set) => {
      if (set.name !== domain?.name || !isOfType(set, "TXT")) return [];
      return set.data.flatMap((data) => {
        const text = decodeUtf8(txtValue(data));
        const parsed = isSpf(text) ? readSpfRecord(text) : undefined;
        return parsed?.ok ? [parsed.value] : [];
      });
    }),
  );
}

/** What brings a record under the limit again, the most saving first among those that cost nothing. */
function waysOut(tree: SpfTree, domain: string): Result["waysOut"] {
  const ineffective = tree.branches
    .filter(({ ineffective, lookups }) => ineffective !== undefined && lookups > 0)
    .map(({ term, lookups }) => ({ saves: lookups, what: `take out ${term.text}, which does nothing` }));
  const costly = tree.branches
    .filter(({ ineffective, lookups, term }) => ineffective === undefined && lookups > 0 && term.kind === "mechanism")
    .sort((a, b) => b.lookups - a.lookups)
    .slice(0, 3)
    .flatMap(({ term, lookups, complete }) => {
      if (term.kind !== "mechanism") return [];
      if (term.name !== "include") return [{ saves: lookups, what: `write the addresses of ${term.text} instead of the name` }];
      return [
        ...(complete
          ? [{ saves: lookups, what: `zandrel spf shrink ${domain} --include ${term.domain} writes addresses in its place` }]
          : []),
        {
          saves: lookups,
          what: `let the service behind ${term.text} send from a subdomain of its own, such as mail.${domain}, or take it out if nobody uses it`,
        },
      ];
    });
  return [...ineffective, ...costly];
}

export default command<Result>({
  name: "spf combine",
  operands: "DOMAIN [TERM..]",
  summary: "make one SPF record of the one that is there and of what every service asks for, and count what it costs",
  examples: [
    ["zandrel spf combine brackwater.example", "with the terms of all asks of the workspace"],
    ["zandrel spf combine brackwater.example include:spf.heronpost.example", "with one term more"],
  ],
  options: resolverOptions,
  schema: result,
  async run(args, context) {
    const [operand, ...terms] = args._;
    if (operand === undefined)
      throw new UserError("zandrel spf combine wants a domain: for example zandrel spf combine brackwater.example.");
    const domain = nameOperand(operand);
    const plain = domain.slice(0, -1);
    const given =
      terms.length === 0 ? [] : [readSpfRecord(isSpf(terms.join(" ")) ? terms.join(" ") : `v=spf1 ${terms.join(" ")}`)];
    for (const one of given)
      if (!one.ok)
        throw new UserError(
          `“${visible(one.error[0]?.text ?? "")}” is no SPF term: ${one.error[0]?.message}${one.error[0]?.meant === undefined ? "" : `; did you mean ${one.error[0].meant}?`}.`,
        );
    const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
    const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
    const wanted = [
      ...askedTerms(workspace?.domains.find((one) => one.name === domain)),
      ...given.flatMap((one) => (one.ok ? [one.value] : [])),
    ];
    const dns = openDns(args, context, workspace?.settings, [domain]);
    try {
      const lookup = memoized(dns.world);
      const own = await lookupSpf(plain, lookup);
      if ("problem" in own && own.problem.kind === "failed")
        throw new UserError(
          `the SPF record of ${plain} could not be asked for (${own.problem.because}): try again, or ask another resolver with --resolver.`,
          EXIT.undetermined,
        );
      if ("problem" in own && own.problem.kind !== "none")
        throw new UserError(
          `nothing can be combined, because ${own.problem.because}: correct what stands there first.`,
          EXIT.not,
        );
      if ("problem" in own && wanted.length === 0)
        throw new UserError(
          `${plain} has no SPF record, and nobody asks for one: name a term, such as include:spf.heronpost.example.`,
          EXIT.not,
        );
      const existing = "record" in own ? own.record : undefined;
      const combined = await combineThoroughly(existing, wanted, plain, lookup);
      const after = treeLookups(combined.after);
      const unresolved = combined.after.branches.flatMap(({ term, failed }) => (failed === undefined ? [] : [term.text]));
      return {
        exit: after > MAX_LOOKUPS ? EXIT.not : unresolved.length > 0 ? EXIT.undetermined : EXIT.ok,
        result: {
          domain,
          before: existing?.text ?? null,
          after: combined.text,
          lookups: { before: combined.before === undefined ? null : treeLookups(combined.before), after, limit: MAX_LOOKUPS },
          added: [...combined.added],
          dropped: combined.dropped.map((one) => ({ ...one })),
          unresolved,
          waysOut: after > MAX_LOOKUPS ? waysOut(combined.after, plain) : [],
        },
      };
    } finally {
      dns.close();
    }
  },
  present({ domain, before, after, lookups, added, dropped, unresolved, waysOut: ways }, { style, width }) {
    const plain = displayName(domain as never);
    const over = lookups.after > lookups.limit;
    const least = unresolved.length > 0 ? "at least " : "";
    const cost = (text: string, number: number | null): string => (number === null ? "" : `  ${text}${count(number, "lookup")}`);
    return [
      style.title(`SPF record for ${plain}`),
      `${style.removed("today")}  ${before === null ? "none" : visible(before)}${style.quiet(cost("", lookups.before))}`,
      `${over ? style.bad("new") : style.added("new")}    ${visible(after)}${style.quiet(cost(least, lookups.after))}`,
      ...added.map((one) => `${style.added("+")} ${visible(one)}`),
      ...dropped.map((one) =>
        wrap(`${style.quiet("−")} ${visible(one.text)}: left out, because ${visible(one.because)}`, width, "  "),
      ),
      ...(unresolved.length === 0
        ? []
        : [style.careful(`Could not be followed: ${unresolved.map(visible).join(", ")}; the cost may be higher.`)]),
      ...(over
        ? [
            style.bad(
              wrap(
                `Not like this: ${lookups.after} lookups are needed and receivers stop at ${lookups.limit}, which breaks all mail of the domain. Ways out, the cheapest first:`,
                width,
              ),
            ),
            ...ways.map((one) => wrap(`  saves ${one.saves}: ${visible(one.what)}`, width, "  ")),
          ]
        : before === after
          ? ["Nothing changes: the record has it all already."]
          : [
              wrap(
                `Next: take down with ${style.command("zandrel intake")} what no ask wants yet; ${style.command(`zandrel draft ${plain}`)} then shows the change, and zandrel publish carries it out.`,
                width,
              ),
            ]),
      "",
    ].join("\n");
  },
});
