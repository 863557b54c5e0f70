import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { type OFFERS, OPERATIONS, type OperationName } from "../../core/sending/index.ts";
import { askLink, type LinkFailure, type LinkTo } from "../../net/service-link.ts";
import { openWorkspace, readSecret } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended } from "../context.ts";
import { type Outcome, onlyOperand } from "../context.ts";
import type { DnsRequest } from "../dns/context.ts";
import { time } from "../shapes.ts";
import { serviceNamed } from "./services.ts";

export const senderLinkSchema = z.object({
  at: time,
  link: z.string(),
  service: z.string().nullable(),
  offers: z.array(z.string()),
  checks: z.array(
    z.object({
      id: z.string().describe("the operation, and what of it"),
      what: z.string(),
      verdict: z.enum(["met", "broken", "unknown"]),
      because: z.string(),
    }),
  ),
});

export type SenderLinkResult = z.output<typeof senderLinkSchema>;

type Check = SenderLinkResult["checks"][number];

/** Nobody has them; a service that keeps the contract says so. */
const NOBODY = { domain: "nobody.invalid", address: "nobody@nobody.invalid", id: "no-such-id" } as const;

type Asked = { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly error: LinkFailure };

/** One check: what is expected, and how the answer is judged; undefined means that it holds. */
function judged(id: string, what: string, outcome: Asked, broken: (outcome: Asked) => string | undefined): Check {
  if (!outcome.ok && outcome.error.kind === "unreachable")
    return { id, what, verdict: "unknown", because: outcome.error.because };
  const because = broken(outcome);
  return { id, what, verdict: because === undefined ? "met" : "broken", because: because ?? "" };
}

const said = (outcome: Asked): string => (outcome.ok ? "it did what it was asked" : outcome.error.because);

const expectKind =
  (...kinds: readonly LinkFailure["kind"][]) =>
  (outcome: Asked): string | undefined =>
    !outcome.ok && kinds.includes(outcome.error.kind) ? undefined : said(outcome);

const expectAnswer = (outcome: Asked): string | undefined => (outcome.ok ? undefined : outcome.error.because);

/** What is asked of each offer without changing anything at the service. */
const HARMLESS: Readonly<
  Record<
    (typeof OFFERS)[number],
    {
      readonly name: OperationName;
      readonly given: object;
      readonly what: string;
      readonly judge: (outcome: Asked) => string | undefined;
    }
  >
> = {
  checks: {
    name: "check",
    given: { body: { domain: NOBODY.domain, purpose: "ownership" } },
    what: "a domain nobody has is refused, or not yet accepted",
    judge: (outcome) =>
      outcome.ok
        ? (outcome.value as { verdict: string }).verdict === "not-yet"
          ? undefined
          : "it accepted a domain that nobody has"
        : expectKind("not-now", "unknown")(outcome),
  },
  domains: {
    name: "showDomain",
    given: { at: { domain: NOBODY.domain } },
    what: "a domain it was never told of is unknown",
    judge: (outcome) =>
      outcome.ok
        ? (outcome.value as { state: string }).state === "unknown"
          ? undefined
          : "it knows a domain nobody has"
        : expectKind("unknown")(outcome),
  },
  senders: {
    name: "showSender",
    given: { at: { address: NOBODY.address } },
    what: "an address it was never told of is unknown",
    judge: (outcome) =>
      outcome.ok
        ? (outcome.value as { state: string }).state === "unknown"
          ? undefined
          : "it knows an address nobody has"
        : expectKind("unknown")(outcome),
  },
  credentials: { name: "listCredentials", given: {}, what: "credentials are listed without their secrets", judge: expectAnswer },
  submission: { name: "showSubmission", given: {}, what: "host, port and TLS mode are said", judge: expectAnswer },
  messages: {
    name: "showMessage",
    given: { at: { id: NOBODY.id } },
    what: "a tracking id that was never given out is unknown",
    judge: expectKind("unknown"),
  },
  events: {
    name: "unsubscribe",
    given: { at: { id: NOBODY.id } },
    what: "a subscription that never was is unknown",
    judge: expectKind("unknown"),
  },
};

/** Asks everything a service offers, harmlessly; with `deep`, also what makes something, and ends it again. */
async function conformance(link: LinkTo, deep: boolean): Promise<Pick<SenderLinkResult, "service" | "offers" | "checks">> {
  const keyless: LinkTo = { ...link, key: undefined };
  const ask = (to: LinkTo, name: OperationName, given: object = {}): Promise<Asked> => askLink(to, name, given as never);
  const described = await ask(keyless, "describe");
  const checks: Check[] = [judged("describe", "the service describes itself without a key", described, expectAnswer)];
  if (!described.ok) return { service: null, offers: [], checks };
  const { service, offers } = described.value as { service: string; offers: (typeof OFFERS)[number][] };
  for (const offer of offers) {
    const { name, given, what, judge } = HARMLESS[offer];
    checks.push(
      judged(
        `${name}-without-key`,
        `${OPERATIONS[name].path} is refused without a key`,
        await ask(keyless, name, given),
        expectKind("key"),
      ),
    );
    checks.push(judged(name, what, await ask(link, name, given), judge));
  }
  if (deep && offers.includes("credentials")) {
    const made = await ask(link, "makeCredential", { body: { scope: "mail", domain: null } });
    checks.push(judged("makeCredential", "a credential is made, with its secret", made, expectAnswer));
    if (made.ok) {
      const { id, secret } = made.value as { id: string; secret: string };
      const sending: LinkTo = { ...link, key: secret };
      checks.push(
        judged(
          "scope",
          "a sending credential cannot make others",
          await ask(sending, "makeCredential", { body: { scope: "mail", domain: null } }),
          expectKind("key"),
        ),
      );
      const listed = await ask(link, "listCredentials");
      checks.push(
        judged("listCredentials-secret", "its secret is never shown again", listed, (outcome) =>
          outcome.ok && JSON.stringify(outcome.value).includes(secret) ? "the list holds the secret" : expectAnswer(outcome),
        ),
      );
      checks.push(
        judged("revokeCredential", "it can be ended", await ask(link, "revokeCredential", { at: { id } }), expectAnswer),
      );
      checks.push(
        judged(
          "revoked",
          "after that it is good for nothing",
          await ask(sending, offers.includes("messages") ? "showMessage" : "listCredentials", { at: { id: NOBODY.id } }),
          expectKind("key"),
        ),
      );
    }
  }
  if (deep && offers.includes("events")) {
    const made = await ask(link, "subscribe", { body: { url: "http://127.0.0.1:9/events" } });
    checks.push(judged("subscribe", "events can be subscribed to", made, expectAnswer));
    if (made.ok)
      checks.push(
        judged(
          "unsubscribe-again",
          "a subscription can be ended",
          await ask(link, "unsubscribe", { at: { id: (made.value as { id: string }).id } }),
          expectAnswer,
        ),
      );
  }
  return { service, offers, checks };
}

const endedFor = (checks: readonly Check[]): Ended =>
  checks.some((one) => one.verdict === "broken")
    ? "problem"
    : checks.some((one) => one.verdict === "unknown")
      ? "undetermined"
      : "fine";

/** What {@link senderLink} is asked. */
export interface SenderLinkRequest extends CommonRequest, Pick<DnsRequest, "resolver" | "timeout"> {
  readonly linkKey: string | undefined;
  readonly deep: boolean;
}

/** Check whether a service's link keeps the contract, request by request. */
export async function senderLink(request: SenderLinkRequest, context: AppContext): Promise<Outcome<SenderLinkResult>> {
  const operand = onlyOperand(request);
  let link: LinkTo | undefined;
  if (/^https?:\/\//.test(operand)) {
    const key = request.linkKey;
    if (key !== undefined && !/^(env|file):./.test(key)) throw new Failure("key-place", {});
    link = {
      url: operand,
      key: key === undefined ? undefined : readSecret(key, "the key of the link", context.cwd, context.env),
      timeout: request.timeout,
    };
  } else link = serviceNamed(openWorkspace(context.cwd, request.workspace), operand, request, context).link;
  if (link === undefined) throw new Failure("no-link", { title: operand });
  const found = await conformance(link, request.deep);
  return { ended: endedFor(found.checks), result: { at: context.clock.now(), link: link.url, ...found } };
}
