import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { domainOperands, reading } from "../session.ts";
import { domainName, sentence, time } from "../shapes.ts";
import { checkDomain, hasSite } from "./check.ts";

export const siteSchema = z.object({
  at: time,
  domains: z.array(
    z.object({
      domain: domainName,
      role: z.string(),
      checks: z.array(
        z.object({
          id: z.string(),
          name: z.string(),
          met: z.boolean().nullable().describe("null: could not be determined"),
          because: sentence,
          remedy: sentence,
          flaw: z.string().nullable().describe("the kind of thing that is wrong"),
        }),
      ),
    }),
  ),
});

export type SiteResult = z.output<typeof siteSchema>;

/** What {@link site} is asked. */
export interface SiteRequest extends CommonRequest, DnsOptions {
  /** Whether to look again until all is well. */
  readonly wait: boolean;
  /** Milliseconds after which waiting ends. */
  readonly for: number;
}

/** Pause between two looks while waiting (milliseconds of the clock). */
const PAUSE = 30_000;

/** Check where the names lead: apex and www together, every host of an ask, permanent redirect, certificate, CAA. */
export async function site(request: SiteRequest, context: AppContext): Promise<Outcome<SiteResult>> {
  const stopAt = context.clock.now() + request.for;
  for (;;) {
    const outcome = await siteOnce(request, context);
    const now = context.clock.now();
    if (!request.wait || outcome.ended === "fine" || now >= stopAt) return outcome;
    const open = outcome.result?.domains.flatMap(({ checks }) => checks).filter(({ met }) => met !== true).length ?? 0;
    await context.progress(clause("told-site-open", { open }));
    await context.clock.sleep(Math.min(PAUSE, stopAt - now));
  }
}

async function siteOnce(request: SiteRequest, context: AppContext): Promise<Outcome<SiteResult>> {
  const pick = (workspace: Workspace) => {
    const named = domainOperands(request.operands)(workspace);
    return request.operands.length > 0 ? named : named.filter(hasSite);
  };
  return reading(request, context, pick, async ({ workspace, domains, dns }, journal) => {
    const { web } = dns;
    if (web === undefined) throw new Failure("no-web-in-files", {});
    const shown = await Promise.all(
      domains.map(async (domain) => ({
        domain: domain.name,
        role: domain.role,
        checks: (await checkDomain({ domain, workspace, dns, web, journal })).map((siteCheck) => ({
          ...siteCheck,
          met: siteCheck.met ?? null,
          flaw: siteCheck.flaw ?? null,
        })),
      })),
    );
    const all = shown.flatMap((one) => one.checks);
    const ended = all.some((candidate) => candidate.met === false)
      ? "problem"
      : all.some((candidate) => candidate.met === null)
        ? "undetermined"
        : "fine";
    return { ended, result: { at: dns.now, domains: shown } };
  });
}
