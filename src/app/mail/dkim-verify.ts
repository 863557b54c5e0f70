import * as z from "zod";
import { explainBody, Signatures, verifySignatures } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import { scanMessage } from "../../core/message/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { dkimJson, dkimShape, endedOf, oneMessage, withMessages } from "../messages/open.ts";

export const dkimVerifySchema = z.object({
  dkim: z.array(dkimShape).describe("in the order of the signatures from top to bottom"),
});

/** What {@link dkimVerify} is asked. */
export interface DkimVerifyRequest extends CommonRequest, DnsOptions {}

/** Check every DKIM signature of a message, and say why one fails. */
export async function dkimVerify(
  request: DkimVerifyRequest,
  context: AppContext,
): Promise<Outcome<z.output<typeof dkimVerifySchema>>> {
  return withMessages(request, context, async (stored, lookup, now) => {
    const { source, title } = oneMessage(stored);
    let signatures: Signatures | undefined;
    const header = await scanMessage(source, (found) => (signatures = new Signatures(found)).sinks);
    if (!header.ok) throw new Failure("not-a-message", { title, because: header.error.message });
    const verdicts = await verifySignatures(signatures as Signatures, header.value, lookup, now);
    const explained = await Promise.all(verdicts.map((verdict) => explainBody(source, verdict)));
    return {
      ended: verdicts.length === 0 ? "problem" : endedOf(verdicts.map((dkimVerdict) => dkimVerdict.result)),
      result: { dkim: explained.map(dkimJson) },
    };
  });
}
