import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { TLS_MODES } from "../../core/sending/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { nameOperand } from "../dns/context.ts";
import { sentence, time } from "../shapes.ts";
import { withService } from "./services.ts";
import { smtpSettings, submissionTo, submitted } from "./submission.ts";

export const senderSettingsSchema = z.object({
  at: time,
  service: z.string(),
  title: z.string(),
  host: z.string(),
  port: z.number(),
  tls: z.enum(TLS_MODES),
  user: z.string().nullable(),
  password: z.string().nullable().describe("where the password is kept, never the password"),
  check: z
    .object({ verdict: z.enum(["works", "refused", "unknown"]), because: sentence })
    .nullable()
    .describe("null where it was not checked"),
});

export type SenderSettingsResult = z.output<typeof senderSettingsSchema>;

/** What {@link senderSettings} is asked. */
export interface SenderSettingsRequest extends CommonRequest, DnsOptions {
  readonly domain: string | undefined;
  readonly check: boolean;
}

const ENDED = { accepted: "fine", refused: "problem", failed: "undetermined" } as const;

/** The SMTP settings to copy into an application, and with --check whether they work. */
export async function senderSettings(
  request: SenderSettingsRequest,
  context: AppContext,
): Promise<Outcome<SenderSettingsResult>> {
  return withService(request, context, async ({ service, session, journal }) => {
    const { workspace, dns } = session;
    const settings = await smtpSettings(service, journal, request.domain === undefined ? undefined : nameOperand(request.domain));
    if (settings === undefined) throw new Failure("no-smtp-settings", { service: service.key, title: service.title });
    const shown = {
      at: dns.now,
      service: service.key,
      title: service.title,
      host: settings.host,
      port: settings.port,
      tls: settings.tls,
      user: settings.user ?? null,
      password: settings.password ?? null,
    };
    if (!request.check) return { ended: "fine", result: { ...shown, check: null } };
    const { trySubmission } = await import("../../net/mail.ts");
    const outcome = await trySubmission(await submissionTo(settings, service, { workspace, dns }, request, context));
    const verdict = { accepted: "works", refused: "refused", failed: "unknown" } as const;
    const because = outcome.kind === "accepted" ? clause("service-logged-in") : submitted(outcome, settings.host);
    return {
      ended: ENDED[outcome.kind],
      result: { ...shown, check: { verdict: verdict[outcome.kind], because } },
    };
  });
}
