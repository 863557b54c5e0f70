import * as z from "zod";
import { type Clause, type Clauses, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type OFFERS, OPERATIONS, type OperationName } from "../../core/sending/index.ts";
import { askLink, type LinkFailure, type LinkTo } from "../../net/service-link.ts";
import { openWorkspace, readSecret } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended } from "../context.ts";
import { type Outcome, onlyOperand } from "../context.ts";
import type { DnsRequest } from "../dns/context.ts";
import { sentence, time } from "../shapes.ts";
import { serviceNamed } from "./services.ts";

export const senderLinkSchema = z.object({
  at: time,
  link: z.string(),
  service: z.string().nullable(),
  offers: z.array(z.string()),
  checks: z.array(
    z.object({
      id: z.string().describe("the operation, and what of it"),
      what: sentence,
      verdict: z.enum(["met", "broken", "unknown"]),
      because: sentence,
    }),
  ),
});

export type SenderLinkResult = z.output<typeof senderLinkSchema>;

type Check = SenderLinkResult["checks"][number];

/** Nobody has them; a service that keeps the contract says so. */
const NOBODY = { domain: "nobody.invalid", address: "nobody@nobody.invalid", id: "no-such-id" } as const;

type Asked = { readonly ok: true; readonly value: unknown } | { readonly ok: false; readonly error: LinkFailure };

/** One check: what is expected, and how the answer is judged; undefined means that it holds. */
function judged(id: string, what: Clause, outcome: Asked, broken: (outcome: Asked) => Clause | undefined): Check {
  if (!outcome.ok && outcome.error.kind === "unreachable")
    return { id, what, verdict: "unknown", because: outcome.error.because };
  const because = broken(outcome);
  return { id, what, verdict: because === undefined ? "met" : "broken", because: because ?? clause("nothing") };
}

type LinkCheck = Clauses["link-check"]["check"];

const tried = (check: LinkCheck, outcome: Asked, broken: (outcome: Asked) => Clause | undefined): Check =>
  judged(check, clause("link-check", { check }), outcome, broken);

const said = (outcome: Asked): Clause => (outcome.ok ? clause("link-did-it") : outcome.error.because);

const expectKind =
  (...kinds: readonly LinkFailure["kind"][]) =>
  (outcome: Asked): Clause | undefined =>
    !outcome.ok && kinds.includes(outcome.error.kind) ? undefined : said(outcome);

const expectAnswer = (outcome: Asked): Clause | undefined => (outcome.ok ? undefined : outcome.error.because);

/** What is asked of each offer without changing anything at the service. */
const HARMLESS: Readonly<
  Record<
    (typeof OFFERS)[number],
    {
      readonly name: OperationName & LinkCheck;
      readonly given: object;
      readonly judge: (outcome: Asked) => Clause | undefined;
    }
  >
> = {
  checks: {
    name: "check",
    given: { body: { domain: NOBODY.domain, purpose: "ownership" } },
    judge: (outcome) =>
      outcome.ok
        ? (outcome.value as { verdict: string }).verdict === "not-yet"
          ? undefined
          : clause("link-accepted-nobody")
        : expectKind("not-now", "unknown")(outcome),
  },
  domains: {
    name: "showDomain",
    given: { at: { domain: NOBODY.domain } },
    judge: (outcome) =>
      outcome.ok
        ? (outcome.value as { state: string }).state === "unknown"
          ? undefined
          : clause("link-knows-nobody", { what: "domain" })
        : expectKind("unknown")(outcome),
  },
  senders: {
    name: "showSender",
    given: { at: { address: NOBODY.address } },
    judge: (outcome) =>
      outcome.ok
        ? (outcome.value as { state: string }).state === "unknown"
          ? undefined
          : clause("link-knows-nobody", { what: "address" })
        : expectKind("unknown")(outcome),
  },
  credentials: { name: "listCredentials", given: {}, judge: expectAnswer },
  submission: { name: "showSubmission", given: {}, judge: expectAnswer },
  messages: {
    name: "showMessage",
    given: { at: { id: NOBODY.id } },
    judge: expectKind("unknown"),
  },
  events: {
    name: "unsubscribe",
    given: { at: { id: NOBODY.id } },
    judge: expectKind("unknown"),
  },
};

/** Asks everything a service offers, harmlessly; with `deep`, also what makes something, and ends it again. */
async function conformance(link: LinkTo, deep: boolean): Promise<Pick<SenderLinkResult, "service" | "offers" | "checks">> {
  const keyless: LinkTo = { ...link, key: undefined };
  const ask = (to: LinkTo, name: OperationName, given: object = {}): Promise<Asked> => askLink(to, name, given as never);
  const described = await ask(keyless, "describe");
  const checks: Check[] = [tried("describe", described, expectAnswer)];
  if (!described.ok) return { service: null, offers: [], checks };
  const { service, offers } = described.value as { service: string; offers: (typeof OFFERS)[number][] };
  for (const offer of offers) {
    const { name, given, judge } = HARMLESS[offer];
    checks.push(
      judged(
        `${name}-without-key`,
        clause("link-needs-key", { path: OPERATIONS[name].path }),
        await ask(keyless, name, given),
        expectKind("key"),
      ),
    );
    checks.push(tried(name, await ask(link, name, given), judge));
  }
  if (deep && offers.includes("credentials")) {
    const asked = await ask(link, "makeCredential", { body: { scope: "mail", domain: null } });
    checks.push(tried("makeCredential", asked, expectAnswer));
    if (asked.ok) {
      const { id, secret } = asked.value as { id: string; secret: string };
      const sending: LinkTo = { ...link, key: secret };
      checks.push(
        tried("scope", await ask(sending, "makeCredential", { body: { scope: "mail", domain: null } }), expectKind("key")),
      );
      const listed = await ask(link, "listCredentials");
      checks.push(
        tried("listCredentials-secret", listed, (outcome) =>
          outcome.ok && JSON.stringify(outcome.value).includes(secret) ? clause("link-shows-secret") : expectAnswer(outcome),
        ),
      );
      checks.push(tried("revokeCredential", await ask(link, "revokeCredential", { at: { id } }), expectAnswer));
      checks.push(
        tried(
          "revoked",
          await ask(sending, offers.includes("messages") ? "showMessage" : "listCredentials", { at: { id: NOBODY.id } }),
          expectKind("key"),
        ),
      );
    }
  }
  if (deep && offers.includes("events")) {
    const asked = await ask(link, "subscribe", { body: { url: "http://127.0.0.1:9/events" } });
    checks.push(tried("subscribe", asked, expectAnswer));
    if (asked.ok)
      checks.push(
        tried(
          "unsubscribe-again",
          await ask(link, "unsubscribe", { at: { id: (asked.value as { id: string }).id } }),
          expectAnswer,
        ),
      );
  }
  return { service, offers, checks };
}

const endedFor = (checks: readonly Check[]): Ended =>
  checks.some((candidate) => candidate.verdict === "broken")
    ? "problem"
    : checks.some((candidate) => candidate.verdict === "unknown")
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
      key: key === undefined ? undefined : readSecret(key, clause("secret-link-key"), context.cwd, context.env),
      timeout: request.timeout,
    };
  } else link = serviceNamed(openWorkspace(context.cwd, request.workspace), operand, request, context).link;
  if (link === undefined) throw new Failure("no-link", { title: operand });
  const found = await conformance(link, request.deep);
  return { ended: endedFor(found.checks), result: { at: context.clock.now(), link: link.url, ...found } };
}
