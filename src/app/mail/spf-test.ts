import { isIP } from "node:net";
import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { memoized } from "../../core/lookup/index.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import { checkSpf } from "../../core/spf/index.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { domainName, sentence } from "../shapes.ts";

export const spfTestSchema = z.object({
  domain: domainName,
  identity: z.string().describe("the address whose domain was checked"),
  ip: z.string(),
  result: z.enum(["none", "neutral", "pass", "fail", "softfail", "temperror", "permerror"]),
  because: sentence,
  explanation: z.string().nullable().describe("what the domain tells a sender that fails"),
  mechanism: z.string().nullable().describe("the term that decided"),
  lookups: z.number(),
  voidLookups: z.number(),
  trace: z.array(
    z.object({ depth: z.number(), domain: z.string(), term: z.string(), outcome: z.enum(["matches", "no-match", "goes-on"]) }),
  ),
  header: sentence.describe("the Received-SPF line of RFC 7208 section 9.1"),
});

export type SpfTestResult = z.output<typeof spfTestSchema>;

const endedFor = (verdict: SpfTestResult["result"]): Ended =>
  verdict === "pass" ? "fine" : verdict === "temperror" ? "undetermined" : "problem";

/** What {@link spfTest} is asked. */
export interface SpfTestRequest extends CommonRequest, DnsOptions {
  readonly ip: string | undefined;
  readonly mailFrom: string | undefined;
  readonly helo: string | undefined;
}

/** Judge a sender by SPF exactly as receivers do: the result, the term that decided, and the way there. */
export async function spfTest(request: SpfTestRequest, context: AppContext): Promise<Outcome<SpfTestResult>> {
  const operand = onlyOperand(request);
  const name = nameOperand(operand);
  const domain = withoutRootDot(name);
  const ip = request.ip;
  if (ip === undefined || isIP(ip) === 0 || ip.includes("%")) throw new Failure("ip-form", { given: ip });
  const folder = findWorkspace(context.cwd, request.workspace);
  const settings = folder === undefined ? undefined : openWorkspace(context.cwd, folder).settings;
  const dns = openDns(request, context, settings, [name]);
  try {
    const from = request.mailFrom ?? `postmaster@${domain}`;
    const helo = request.helo ?? domain;
    const verdict = await checkSpf({ ip, from, helo, domain, now: Math.floor(dns.now / 1000) }, memoized(dns.world));
    const shown: SpfTestResult = {
      domain: name,
      identity: from === "" ? `postmaster@${helo}` : from,
      ip,
      result: verdict.result,
      because:
        verdict.because ??
        (verdict.mechanism === undefined
          ? clause("spf-verdict", { result: verdict.result })
          : clause("spf-decides", { mechanism: verdict.mechanism })),
      explanation: verdict.explanation ?? null,
      mechanism: verdict.mechanism ?? null,
      lookups: verdict.lookups,
      voidLookups: verdict.voidLookups,
      trace: [...verdict.trace],
      header: clause("spf-received", {
        ...{ result: verdict.result, because: verdict.because, mechanism: verdict.mechanism },
        ...{ ip, from, helo, receiver: "zandrel.invalid" },
      }),
    };
    return { ended: endedFor(verdict.result), result: shown };
  } finally {
    dns.close();
  }
}
