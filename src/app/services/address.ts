import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { ADDRESS_STATES, type SenderState } from "../../core/sending/index.ts";
import { askLink } from "../../net/service-link.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { sentence, time } from "../shapes.ts";
import {
  type ByHandOptions,
  domainOfAddress,
  lastState,
  linkTrouble,
  offersOf,
  recordByHand,
  recorded,
  withService,
} from "./services.ts";

export const senderAddressSchema = z.object({
  at: time,
  service: z.string(),
  title: z.string(),
  address: z.string(),
  state: z.enum(ADDRESS_STATES),
  mailed: z.boolean().describe("whether the link was mailed just now"),
  mailedAt: z.string().nullable(),
  expiresAt: z.string().nullable().describe("until when the mailed link is good"),
  because: sentence,
  next: sentence.nullable().describe("the command to run next"),
});

export type SenderAddressResult = z.output<typeof senderAddressSchema>;

/** A link that no longer works says so itself, whatever the service still calls it. */
const stateNow = (said: SenderState, now: number): SenderState["state"] =>
  said.state === "pending" && said.expiresAt !== undefined && Date.parse(said.expiresAt) <= now ? "expired" : said.state;

/** What {@link senderAddress} is asked. */
export interface SenderAddressRequest extends CommonRequest, DnsOptions, ByHandOptions {
  readonly resend: boolean;
}

/** Have a sender address confirmed: ask the service to mail its link, see whether it was opened, have it mailed again. */
export async function senderAddress(request: SenderAddressRequest, context: AppContext): Promise<Outcome<SenderAddressResult>> {
  return withService(request, context, async (at) => {
    const {
      service,
      session: { dns },
      journal,
    } = at;
    const [address = ""] = at.operands;
    const domain = domainOfAddress(address);
    const { now } = dns;
    const common = { at: now, service: service.key, title: service.title, address };
    const call = { service: service.key, address };
    const again = clause("next-sender-address", call);
    const nothing = { mailed: false, mailedAt: null, expiresAt: null };
    const known = lastState(journal, service.key, domain, address);
    if (request.confirmed) {
      const because = recordByHand(at, domain, "confirmed", address, request, context);
      return { ended: "fine", result: { ...common, ...nothing, state: "confirmed" as const, because, next: null } };
    }
    const offers = await offersOf(service);
    if (service.link === undefined || offers?.includes("senders") !== true) {
      const confirmed = known?.state === "confirmed";
      return {
        ended: confirmed ? "fine" : "problem",
        result: {
          ...common,
          ...nothing,
          state: confirmed ? ("confirmed" as const) : ("unknown" as const),
          because: confirmed ? recorded(known) : clause("service-addresses-unresolved", { title: service.title, address }),
          next: confirmed ? null : clause("next-sender-address-confirmed", call),
        },
      };
    }
    const seen = await askLink(service.link, "showSender", { at: { address } });
    if (!seen.ok && seen.error.kind !== "unknown")
      throw linkTrouble(service, clause("asked-where-stands", { of: address }), seen.error);
    let said: SenderState = seen.ok ? seen.value : { address, state: "unknown" };
    const before = stateNow(said, now);
    const mailed = before === "unknown" || (request.resend && before !== "confirmed");
    if (mailed) {
      const asked = await askLink(service.link, "askSender", { body: { address } });
      if (!asked.ok) throw linkTrouble(service, clause("asked-mail-link", { address }), asked.error);
      said = asked.value;
    }
    const state = stateNow(said, now);
    if (known?.state !== state || mailed)
      journal.append(now, domain, { kind: "sender-state", service: service.key, address, state, by: "service", note: "" });
    const because = clause("service-address", { state, title: service.title, address, mailed, expiresAt: said.expiresAt });
    const next = { confirmed: null, pending: again, expired: clause("next-sender-address-resend", call), unknown: again }[state];
    return {
      ended: state === "confirmed" ? "fine" : "problem",
      result: {
        ...common,
        state,
        mailed,
        mailedAt: said.mailedAt ?? null,
        expiresAt: said.expiresAt ?? null,
        because,
        next,
      },
    };
  });
}
