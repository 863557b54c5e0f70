import { isIP } from "node:net";
import { z } from "zod";
import { nameOperand, openDns, resolverOptions } from "../../../app/dns/context.ts";
import { withoutRootDot } from "../../../app/shapes.ts";
import { memoized } from "../../../core/lookup/index.ts";
import { checkSpf, MAX_LOOKUPS, receivedSpf } from "../../../core/spf/index.ts";
import { EXIT, type ExitCode, UserError } from "../../../core/user-error.ts";
import { columns, count, visible, wrap } from "../../../present/index.ts";
import { findWorkspace, openWorkspace } from "../../../workspace/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  domain: z.string(),
  identity: z.string().describe("the address whose domain was checked"),
  ip: z.string(),
  result: z.enum(["none", "neutral", "pass", "fail", "softfail", "temperror", "permerror"]),
  because: z.string(),
  explanation: z.string().nullable().describe("what the domain tells a sender that fails"),
  mechanism: z.string().nullable().describe("the term that decided"),
  lookups: z.number(),
  voidLookups: z.number(),
  trace: z.array(z.object({ depth: z.number(), domain: z.string(), term: z.string(), outcome: z.string() })),
  header: z.string().describe("the Received-SPF line of RFC 7208 section 9.1"),
});
type Result = z.output<typeof result>;

const MEANING: Readonly<Record<Result["result"], string>> = {
  pass: "this server may send for the domain",
  fail: "this server may not send for the domain",
  softfail: "this server probably may not send for the domain",
  neutral: "the domain says neither yes nor no",
  none: "there is no SPF record to go by",
  temperror: "the DNS could not be asked; receivers try again later",
  permerror: "the record is wrong, and receivers treat it as if it were not there, or worse",
};

const exitFor = (verdict: Result["result"]): ExitCode =>
  verdict === "pass" ? EXIT.ok : verdict === "temperror" ? EXIT.undetermined : EXIT.not;

export default command<Result>({
  name: "spf test",
  operands: "DOMAIN",
  summary: "judge a sender by SPF exactly as receivers do: the result, the term that decided, and the way there",
  examples: [
    ["zandrel spf test brackwater.example --ip 192.0.2.25", "may this server send for the domain?"],
    [
      "zandrel spf test brackwater.example --ip 192.0.2.25 --from box@brackwater.example --helo mx1.inglemail.example --json",
      "one envelope, for another program",
    ],
    ["zandrel spf test brackwater.example --ip 192.0.2.25 --zone-file brackwater.example.zone", "before it is published"],
  ],
  options: {
    ...resolverOptions,
    ip: { type: "string", requiresArg: true, describe: "address of the sending server, IPv4 or IPv6" },
    from: { type: "string", describe: "the envelope sender (postmaster@DOMAIN if not given; empty for the empty reverse path)" },
    helo: { type: "string", requiresArg: true, describe: "the name the server says HELO with (DOMAIN if not given)" },
  },
  schema: result,
  async run(args, context) {
    const [operand, ...more] = args._;
    if (operand === undefined || more.length > 0)
      throw new UserError("zandrel spf test wants one domain: for example zandrel spf test brackwater.example --ip 192.0.2.25.");
    const domain = withoutRootDot(nameOperand(operand));
    const ip = args.ip as string | undefined;
    if (ip === undefined || isIP(ip) === 0 || ip.includes("%"))
      throw new UserError(
        `--ip wants the address of the sending server, such as 192.0.2.25${ip === undefined ? "" : `; “${visible(ip)}” is none`}.`,
      );
    const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
    const settings = folder === undefined ? undefined : openWorkspace(context.cwd, folder).settings;
    const dns = openDns(args, context, settings, [nameOperand(domain)]);
    try {
      const from = (args.from as string | undefined) ?? `postmaster@${domain}`;
      const helo = (args.helo as string | undefined) ?? domain;
      const verdict = await checkSpf({ ip, from, helo, domain, now: Math.floor(dns.now / 1000) }, memoized(dns.world));
      const shown: Result = {
        domain: `${domain}.`,
        identity: from === "" ? `postmaster@${helo}` : from,
        ip,
        result: verdict.result,
        because:
          verdict.because ??
          (verdict.mechanism === undefined ? MEANING[verdict.result] : `the term ${verdict.mechanism} decides`),
        explanation: verdict.explanation ?? null,
        mechanism: verdict.mechanism ?? null,
        lookups: verdict.lookups,
        voidLookups: verdict.voidLookups,
        trace: [...verdict.trace],
        header: receivedSpf(verdict, { ip, from, helo, receiver: "zandrel.invalid" }),
      };
      return { exit: exitFor(verdict.result), result: shown };
    } finally {
      dns.close();
    }
  },
  present({ identity, ip, result: verdict, because, explanation, lookups, voidLookups, trace, header }, { style, width }) {
    const paint =
      verdict === "pass"
        ? style.good
        : verdict === "temperror"
          ? style.careful
          : verdict === "neutral" || verdict === "none"
            ? style.careful
            : style.bad;
    const rows = columns(trace.map((one) => [`${"  ".repeat(one.depth)}${visible(one.domain)}`, visible(one.term), one.outcome]));
    const narration = explanation === null ? [] : [`The domain tells such senders: ${visible(explanation)}`];
    return [
      `${paint(verdict)}  ${style.title(visible(identity))} from ${ip}`,
      wrap(`${MEANING[verdict]}: ${visible(because)}.`, width),
      ...narration,
      ...(rows.length === 0 ? [] : ["", ...rows.map((row) => `  ${row}`), ""]),
      `${count(lookups, "lookup")} of at most ${MAX_LOOKUPS}, ${voidLookups} of at most 2 without an answer.`,
      style.quiet(visible(header)),
      "",
    ].join("\n");
  },
});
