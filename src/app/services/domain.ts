import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import type { DomainState } from "../../core/sending/index.ts";
import { askLink } from "../../net/service-link.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand } from "../dns/context.ts";
import { domainName, sentence, time } from "../shapes.ts";
import {
  type ByHandOptions,
  lastState,
  linkTrouble,
  missingShape,
  offersOf,
  recordByHand,
  recorded,
  unsettledAsks,
  withService,
} from "./services.ts";

export const senderDomainSchema = z.object({
  at: time,
  service: z.string(),
  title: z.string(),
  domain: domainName,
  state: z.enum(["unknown", "pending", "accepted"]),
  signing: z.enum(["on", "off"]).nullable().describe("null where the service has no such switch"),
  because: sentence,
  missing: z.array(missingShape).describe("asks that have to be settled before the service is asked to look"),
  next: sentence.nullable(),
});

export type SenderDomainResult = z.output<typeof senderDomainSchema>;

/** What {@link senderDomain} is asked. */
export interface SenderDomainRequest extends CommonRequest, DnsOptions, ByHandOptions {
  readonly signing: "on" | "off" | undefined;
  readonly force: boolean;
}

/** Have a service accept a domain for sending, and turn its signing on where that is a switch of its own. */
export async function senderDomain(request: SenderDomainRequest, context: AppContext): Promise<Outcome<SenderDomainResult>> {
  return withService(request, context, async (at) => {
    const { service, session, journal } = at;
    const { dns } = session;
    const [operand = ""] = at.operands;
    const domain = nameOperand(operand);
    const { now } = dns;
    const call = { service: service.key, domain };
    const common = { at: now, service: service.key, title: service.title, domain, missing: [] };
    const known = lastState(journal, service.key, domain);
    if (request.confirmed) {
      const because = recordByHand(at, domain, "accepted", undefined, request, context);
      return { ended: "fine", result: { ...common, state: "accepted" as const, signing: null, because, next: null } };
    }
    const offers = await offersOf(service);
    if (service.link === undefined || offers?.includes("domains") !== true) {
      const accepted = known?.state === "accepted";
      const because = accepted ? recorded(known) : clause("service-domains-unresolved", { title: service.title });
      return {
        ended: accepted ? "fine" : "problem",
        result: {
          ...common,
          state: accepted ? ("accepted" as const) : ("unknown" as const),
          signing: null,
          because,
          next: accepted ? null : clause("next-sender-domain-confirmed", call),
        },
      };
    }
    const seen = await askLink(service.link, "showDomain", { at: { domain: withoutRootDot(domain) } });
    if (!seen.ok && seen.error.kind !== "unknown")
      throw linkTrouble(service, clause("asked-where-stands", { of: operand }), seen.error);
    let said: DomainState = seen.ok ? seen.value : { domain: withoutRootDot(domain), state: "unknown", reason: "" };
    const signing = request.signing as "on" | "off" | undefined;
    if (said.state !== "accepted" || (signing !== undefined && signing !== said.signing)) {
      const missing = request.force ? [] : await unsettledAsks(service, domain, session, journal);
      if (missing.length > 0)
        return {
          ended: missing.some(({ state }) => state === "unknown") ? "undetermined" : "problem",
          result: {
            ...common,
            state: said.state,
            signing: said.signing ?? null,
            because: clause("service-not-asked-yet", { title: service.title }),
            missing,
            next: missing[0]?.next ?? null,
          },
        };
      const asked = await askLink(service.link, "offerDomain", {
        at: { domain: withoutRootDot(domain) },
        body: signing === undefined ? {} : { signing },
      });
      if (!asked.ok) throw linkTrouble(service, clause("asked-accept", { domain: operand }), asked.error);
      said = asked.value;
    }
    if (known?.state !== said.state)
      journal.append(now, domain, {
        kind: "sender-state",
        service: service.key,
        state: said.state,
        by: "service",
        note: said.reason,
      });
    const off = said.signing === "off";
    return {
      ended: said.state === "accepted" && !off ? "fine" : "problem",
      result: {
        ...common,
        state: said.state,
        signing: said.signing ?? null,
        because:
          said.reason === ""
            ? clause("service-knows-not", { title: service.title, domain })
            : clause("prove-service-says", { title: service.title, text: said.reason }),
        next: said.state !== "accepted" ? clause("next-sender-domain", call) : off ? clause("next-signing-on", call) : null,
      },
    };
  });
}
