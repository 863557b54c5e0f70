import { resolve } from "node:path";
import { gunzipSync } from "node:zlib";
import * as z from "zod";
import { type Clause, clause } from "../../core/clause/index.ts";
import { type DmarcRecord, discoverByWalk } from "../../core/dmarc/index.ts";
import { Failure } from "../../core/failure.ts";
import { checkDrawing, checkEvidence, type LogoRecord, logoLabel, readLogoRecord } from "../../core/logo/index.ts";
import { type Lookup, memoized } from "../../core/lookup/index.ts";
import { type DomainName, displayName, name, parseName } from "../../core/name/index.ts";
import { isOfType } from "../../core/record/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import type { WebOptions } from "../../net/web.ts";
import { findWorkspace, openWorkspace, readText } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { domainName, sentence, time } from "../shapes.ts";

/** What is looked at, in the order in which it is in the way. */
const LOGO_CHECKS = ["policy", "subdomains", "percent", "record", "address", "drawing", "evidence"] as const;

export const logoCheckSchema = z.object({
  at: time,
  domain: domainName,
  selector: z.string(),
  shown: z.enum(["yes", "no", "unknown"]).describe("whether nothing is in the way of the logo, as far as this can be looked at"),
  record: z.string().nullable().describe("the record as it is published"),
  recordAt: domainName.nullable().describe("the name it was found at"),
  drawing: z.string().nullable().describe("the address of the drawing"),
  evidence: z.string().nullable().describe("the address of the evidence; null where the record names none"),
  checks: z.array(
    z.object({
      id: z.enum(LOGO_CHECKS),
      verdict: z.enum(["met", "broken", "unknown", "skipped"]),
      because: sentence,
      offences: z
        .array(z.object({ line: z.number().nullable().describe("of the drawing"), because: sentence }))
        .describe("each thing that is wrong"),
    }),
  ),
  ends: z
    .array(z.object({ what: z.enum(["certificate", "evidence"]), until: time }))
    .describe("until when the web server's certificate and the evidence are good"),
});

export type LogoCheckResult = z.output<typeof logoCheckSchema>;
type Check = LogoCheckResult["checks"][number];

/** What {@link logoCheck} is asked. */
export interface LogoCheckRequest extends CommonRequest, DnsOptions {
  readonly selector: string;
  /** Files that are looked at in place of what the record names. */
  readonly drawing: string | undefined;
  readonly evidence: string | undefined;
}

const LARGEST_FILE = 8 << 20;

const said = (id: Check["id"], verdict: Check["verdict"], because: Clause, offences: Check["offences"] = []): Check => ({
  id,
  verdict,
  because,
  offences,
});

/** A file that was named, whole; never a pipe, a device, or more than any logo has. */
export const fileOf = (cwd: string, path: string): Buffer =>
  Buffer.from(readText(resolve(cwd, path), "latin1", LARGEST_FILE), "latin1");

/** Octets as they are drawn; what is packed beyond all measure stays packed. */
export function unpacked(octets: Buffer): Buffer {
  if (octets[0] !== 0x1f || octets[1] !== 0x8b) return octets;
  try {
    return gunzipSync(octets, { maxOutputLength: LARGEST_FILE });
  } catch {
    return octets;
  }
}

/** The policy that logos need: enforced, for subdomains too, and for all mail. */
function policyChecks(record: DmarcRecord | undefined, at: DomainName | undefined, failed: Clause | undefined): Check[] {
  if (failed !== undefined && record === undefined) {
    const because = clause("logo-policy-unseen", { because: failed });
    return [said("policy", "unknown", because), said("subdomains", "unknown", because), said("percent", "unknown", because)];
  }
  if (record === undefined || at === undefined)
    return [
      said("policy", "broken", clause("logo-policy-missing")),
      said("subdomains", "skipped", clause("logo-first", { what: "policy" })),
      said("percent", "skipped", clause("logo-first", { what: "policy" })),
    ];
  const { policy, subdomains = policy, percent, testing } = record;
  return [
    policy === "none"
      ? said("policy", "broken", clause("logo-policy-none", { at }))
      : testing
        ? said("policy", "broken", clause("logo-policy-testing", { at }))
        : said("policy", "met", clause("logo-policy", { policy })),
    subdomains === "none"
      ? said("subdomains", "broken", clause("logo-subdomains-none"))
      : said("subdomains", "met", clause("logo-subdomains", { policy: subdomains })),
    policy === "quarantine" && percent < 100
      ? said("percent", "broken", clause("logo-percent", { percent }))
      : said("percent", "met", clause("logo-percent-whole")),
  ];
}

/** What was found at the selector: at the domain, or else at the organizational domain. */
interface Found {
  readonly check: Check;
  readonly text: string | undefined;
  readonly at: DomainName | undefined;
  readonly record: LogoRecord | undefined;
}

async function recordOf(domain: DomainName, selector: string, lookup: Lookup): Promise<Found> {
  const nothing = { text: undefined, at: undefined, record: undefined };
  const places = [...new Set([domain, organizationalDomain(domain)])];
  for (const place of places) {
    const at = name(`${logoLabel(selector)}.${place}`);
    const answer = await lookup.ask(at, "TXT");
    if (answer.kind === "failed")
      return { ...nothing, check: said("record", "unknown", clause("logo-record-unseen", { at, because: answer.detail })) };
    if (answer.kind !== "found" || !isOfType(answer.set, "TXT")) continue;
    const read = answer.set.data.flatMap((data) => {
      const text = data.strings.join("");
      const one = readLogoRecord(text);
      return one.kind === "record" ? [{ text, ...one }] : [];
    });
    const [first, ...more] = read;
    if (first === undefined) continue;
    if (more.length > 0)
      return { ...nothing, at, check: said("record", "broken", clause("logo-record-twice", { at, records: read.length })) };
    const { text, record, mistakes } = first;
    if (mistakes.length > 0)
      return {
        ...{ text, at, record },
        check: said(
          "record",
          "broken",
          clause("logo-record-wrong", { at }),
          mistakes.map((because) => ({ line: null, because })),
        ),
      };
    return record.drawing === undefined
      ? { text, at, record, check: said("record", "broken", clause("logo-record-declines", { at })) }
      : { text, at, record, check: said("record", "met", clause("logo-record", { at })) };
  }
  return {
    ...nothing,
    check: said("record", "broken", clause("logo-record-missing", { at: name(`${logoLabel(selector)}.${domain}`) })),
  };
}

/** What a web address brought: the octets of it, or why nobody can say or use them. */
interface Brought {
  readonly check: Check;
  readonly octets: Buffer | undefined;
  readonly until: number | undefined;
}

/** Fetches a drawing or evidence as a mailbox provider does: over https, at a certificate that holds, and nowhere else. */
async function brought(url: string, what: "drawing" | "evidence", web: WebOptions | undefined, now: number): Promise<Brought> {
  const id = what === "drawing" ? "address" : "evidence";
  const nothing = { octets: undefined, until: undefined };
  if (web === undefined) return { ...nothing, check: said(id, "unknown", clause("logo-web-unseen")) };
  if (!URL.canParse(url) || new URL(url).protocol !== "https:")
    return { ...nothing, check: said(id, "broken", clause("logo-not-https", { what })) };
  const { followPage } = await import("../../net/web.ts");
  const chain = await followPage(url, { ...web, raw: true });
  const broken = chain.find((one) => "none" in one);
  if (broken !== undefined && "none" in broken)
    return { ...nothing, check: said(id, broken.none.kind === "unknown" ? "unknown" : "broken", broken.none.detail) };
  const pages = chain.flatMap((one) => ("page" in one ? [one.page] : []));
  const last = pages.at(-1);
  if (last === undefined) return { ...nothing, check: said(id, "unknown", clause("logo-web-unseen")) };
  const offences: Clause[] = [];
  const host = new URL(url).hostname;
  for (const { url: step, certificate } of pages) {
    const at = new URL(step).hostname;
    if (new URL(step).protocol !== "https:") offences.push(clause("logo-redirect-unencrypted", { host: at }));
    else if (certificate?.distrust !== undefined)
      offences.push(clause("logo-certificate-untrusted", { host: at, why: certificate.distrust }));
    else if (certificate !== undefined && certificate.until < now) offences.push(clause("logo-certificate-ended", { host: at }));
    else if (certificate !== undefined && !certificate.names.some((one) => covers(one, at)))
      offences.push(clause("logo-certificate-name", { host: at }));
  }
  const end = new URL(last.url).hostname;
  const belongs = (one: string): DomainName | undefined => {
    const parsed = parseName(one);
    return parsed.ok ? organizationalDomain(parsed.value) : undefined;
  };
  if (pages.length > 1 && belongs(end) !== belongs(host)) offences.push(clause("logo-redirect-elsewhere", { host: end }));
  if (last.status !== 200) offences.push(clause("logo-status", { status: last.status }));
  const type = last.contentType?.split(";")[0]?.trim();
  if (what === "drawing" && last.status === 200 && type !== "image/svg+xml") offences.push(clause("logo-type", { type }));
  if (last.cut === true) offences.push(clause("logo-cut"));
  const usable = last.status === 200 && last.cut !== true ? unpacked(last.octets ?? Buffer.alloc(0)) : undefined;
  const verdict = offences.length === 0 ? "met" : "broken";
  return {
    octets: usable,
    until: pages[0]?.certificate?.until,
    check: said(
      id,
      verdict,
      verdict === "met" ? clause("logo-address", { what, host }) : clause("logo-address-wrong", { what }),
      offences.map((because) => ({ line: null, because })),
    ),
  };
}

/** Whether a name of a certificate covers a host; a wildcard stands for one label. */
const covers = (of: string, host: string): boolean =>
  of === host || (of.startsWith("*.") && host.slice(host.indexOf(".") + 1) === of.slice(2));

function drawingCheck(octets: Buffer | undefined): Check {
  if (octets === undefined) return said("drawing", "skipped", clause("logo-first", { what: "address" }));
  const { offences, title } = checkDrawing(octets);
  return offences.length === 0
    ? said("drawing", "met", clause("logo-drawing", { title: title ?? "", size: octets.length }))
    : said(
        "drawing",
        "broken",
        clause("logo-drawing-wrong", { offences: offences.length }),
        offences.map((one) => ({ ...one })),
      );
}

/** Says in order what is in the way of the logo beside the name. */
export async function logoCheck(request: LogoCheckRequest, context: AppContext): Promise<Outcome<LogoCheckResult>> {
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const domain = domainFrom(request, workspace?.domains.map((one) => one.name) ?? []);
  const dns = openDns(request, context, workspace?.settings, [domain]);
  try {
    const lookup = memoized(dns.world);
    const { selector } = request;
    const policy = await discoverByWalk(domain, lookup);
    const found = await recordOf(domain, selector, lookup);
    const checks = [...policyChecks(policy.record, policy.at, policy.failed), found.check];
    const ends: LogoCheckResult["ends"] = [];
    const own = request.drawing === undefined ? undefined : unpacked(fileOf(context.cwd, request.drawing));
    let drawing = own;
    if (own !== undefined) checks.push(said("address", "skipped", clause("logo-own-file", { path: request.drawing ?? "" })));
    else if (found.record?.drawing === undefined)
      checks.push(said("address", "skipped", clause("logo-first", { what: "record" })));
    else {
      const fetched = await brought(found.record.drawing, "drawing", dns.web, dns.now);
      checks.push(fetched.check);
      drawing = fetched.octets;
      if (fetched.until !== undefined) ends.push({ what: "certificate", until: fetched.until });
    }
    checks.push(drawingCheck(drawing));
    checks.push(
      await evidenceCheck(request, { domain, record: found.record, drawing, web: dns.web, now: dns.now, context, ends }),
    );
    const verdicts = checks.map(({ verdict }) => verdict);
    const shown = verdicts.includes("broken") ? "no" : verdicts.includes("unknown") ? "unknown" : "yes";
    const ended: Ended = shown === "yes" ? "fine" : shown === "no" ? "problem" : "undetermined";
    return {
      ended,
      result: {
        at: dns.now,
        domain,
        selector,
        shown,
        record: found.text ?? null,
        recordAt: found.at ?? null,
        drawing: found.record?.drawing ?? null,
        evidence: found.record?.evidence ?? null,
        checks,
        ends,
      },
    };
  } finally {
    dns.close();
  }
}

/** The domain that was named, or the only one of the workspace. */
function domainFrom({ operands }: CommonRequest, known: readonly DomainName[]): DomainName {
  const [operand] = operands;
  if (operand !== undefined) return nameOperand(operand);
  const [only, ...others] = known;
  if (only === undefined) throw new Failure("no-domain", {});
  if (others.length > 0) throw new Failure("which-domain", { domains: known });
  return only;
}

/** The evidence: not needed everywhere, and judged where there is some. */
async function evidenceCheck(
  request: LogoCheckRequest,
  {
    domain,
    record,
    drawing,
    web,
    now,
    context,
    ends,
  }: {
    readonly domain: DomainName;
    readonly record: LogoRecord | undefined;
    readonly drawing: Buffer | undefined;
    readonly web: WebOptions | undefined;
    readonly now: number;
    readonly context: AppContext;
    readonly ends: LogoCheckResult["ends"];
  },
): Promise<Check> {
  let octets: Buffer | undefined;
  if (request.evidence !== undefined) octets = fileOf(context.cwd, request.evidence);
  else if (record?.evidence === undefined)
    return said(
      "evidence",
      "skipped",
      record === undefined ? clause("logo-first", { what: "record" }) : clause("logo-evidence-none"),
    );
  else {
    const fetched = await brought(record.evidence, "evidence", web, now);
    if (fetched.octets === undefined || fetched.check.verdict !== "met") return fetched.check;
    octets = fetched.octets;
  }
  const { offences, issuer, until } = checkEvidence(octets.toString("latin1"), {
    domain,
    selector: request.selector,
    drawing,
    at: now,
    unpack: unpacked,
  });
  if (until !== undefined) ends.push({ what: "evidence", until });
  return offences.length === 0
    ? said("evidence", "met", clause("logo-evidence", { issuer: issuer ?? displayName(domain), until: until ?? now }))
    : said(
        "evidence",
        "broken",
        clause("logo-evidence-wrong"),
        offences.map((because) => ({ line: null, because })),
      );
}
