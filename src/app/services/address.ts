import * as z from "zod";
import { ADDRESS_STATES, type SenderState } from "../../core/sending/index.ts";
import { askLink } from "../../net/service-link.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { time } from "../shapes.ts";
import {
  type ByHandOptions,
  domainOfAddress,
  lastState,
  linkTrouble,
  offersOf,
  recordByHand,
  recordedText,
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
  because: z.string(),
  next: z.string().nullable().describe("the command to run next"),
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
    const again = `zandrel sender address ${service.key} ${address}`;
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
          because: confirmed
            ? recordedText(known)
            : `${service.title} cannot be asked about addresses from here: open the link it mails to ${address}`,
          next: confirmed ? null : `${again} --confirmed`,
        },
      };
    }
    const seen = await askLink(service.link, "showSender", { at: { address } });
    if (!seen.ok && seen.error.kind !== "unknown") throw linkTrouble(service, `say where ${address} stands`, seen.error);
    let said: SenderState = seen.ok ? seen.value : { address, state: "unknown" };
    const before = stateNow(said, now);
    const mailed = before === "unknown" || (request.resend && before !== "confirmed");
    if (mailed) {
      const asked = await askLink(service.link, "askSender", { body: { address } });
      if (!asked.ok) throw linkTrouble(service, `mail the link for ${address}`, asked.error);
      said = asked.value;
    }
    const state = stateNow(said, now);
    if (known?.state !== state || mailed)
      journal.append(now, domain, { kind: "sender-state", service: service.key, address, state, by: "service", note: "" });
    const until =
      said.expiresAt === undefined
        ? ""
        : `; the link works until ${said.expiresAt.replace("T", " ").replace(/(:\d\d)?(\.\d+)?Z$/, " UTC")}`;
    const because = {
      confirmed: "the link was opened",
      pending: `${mailed ? `a mail with a link is on its way to ${address}` : `the link mailed to ${address} was not opened yet`}${until}`,
      expired: "the link was not opened in time and no longer works",
      unknown: `${service.title} does not know this address`,
    }[state];
    const next = { confirmed: null, pending: again, expired: `${again} --resend`, unknown: again }[state];
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
