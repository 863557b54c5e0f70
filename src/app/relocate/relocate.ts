import { Failure } from "../../core/failure.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import type { Domain } from "../../workspace/index.ts";
import type { AppContext, Outcome } from "../context.ts";
import { domainOperands, writing } from "../session.ts";

import { capture } from "./capture.ts";
import { check } from "./check.ts";
import { compare } from "./compare.ts";
import type { Move, RelocateRequest } from "./move.ts";
import { plan } from "./plan.ts";
import type { RelocateResult } from "./schema.ts";

const STEPS = { plan, capture, compare, check } as const;

/** Move a zone to another DNS host: capture it, compare both sides, check the cut-over. */
export async function relocate(request: RelocateRequest, context: AppContext): Promise<Outcome<RelocateResult>> {
  const [step = "", ...operands] = request.operands;
  if (!Object.hasOwn(STEPS, step) || operands.length !== 1) throw new Failure("relocate-step", {});
  return writing(request, context, domainOperands(operands), async ({ workspace, domains, dns }, journal) => {
    const [domain] = domains as [Domain];
    const file = request.file ?? `${withoutRootDot(domain.name)}.zone`;
    const move: Move = { domain, workspace, dns, looked: await dns.look(domain), journal, request, context, file };
    const { ended, ...outcome } = await STEPS[step as keyof typeof STEPS](move);
    return {
      ended,
      result: {
        at: dns.now,
        step: step as keyof typeof STEPS,
        domain: domain.name,
        newHost: request.newHost ?? null,
        plan: null,
        capture: null,
        signatures: null,
        compare: null,
        check: null,
        ...outcome,
      },
    };
  });
}
