import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { enhancedStatus } from "../../core/sending/index.ts";
import type { Submission, Submitted } from "../../net/mail.ts";
import { askLink } from "../../net/service-link.ts";
import { type Journal, readSecret } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import type { DnsContext, DnsRequest } from "../dns/context.ts";
import type { Session } from "../session.ts";
import { type KeptCredential, keptCredentials, linkTrouble, offersOf, type ServiceAt } from "./services.ts";

/** Where messages for a service are handed in, as an application needs it. */
export interface SmtpSettings {
  readonly host: string;
  readonly port: number;
  readonly tls: "starttls" | "implicit";
  readonly user: string | undefined;
  /** Where the password is kept, as in zandrel.yaml. */
  readonly password: string | undefined;
}

/** The newest credential that is good for a domain; one for that domain before one for all. */
export function credentialFor(journal: Journal, service: ServiceAt, domain: DomainName | undefined): KeptCredential | undefined {
  const kept = keptCredentials(journal, service.key);
  return (
    kept.find((keptCredential) => domain !== undefined && keptCredential.domain === domain) ??
    kept.find((candidate) => candidate.domain === undefined) ??
    (domain === undefined ? kept[0] : undefined)
  );
}

/** The SMTP settings of a service: from zandrel.yaml, or from its link; undefined where neither says. */
export async function smtpSettings(
  service: ServiceAt,
  journal: Journal,
  domain: DomainName | undefined,
): Promise<SmtpSettings | undefined> {
  const credential = credentialFor(journal, service, domain);
  const own = service.settings.submission;
  if (own !== undefined) return { ...own, password: own.password };
  const offers = await offersOf(service);
  if (service.link === undefined || offers?.includes("submission") !== true) return undefined;
  const asked = await askLink(service.link, "showSubmission");
  if (!asked.ok) throw linkTrouble(service, clause("asked-submission"), asked.error);
  return { ...asked.value, user: credential?.user, password: credential?.kept };
}

/** Everything needed to connect: the server's address from the DNS, and the password. */
export async function submissionTo(
  settings: SmtpSettings,
  service: ServiceAt,
  { workspace, dns }: { workspace: Session["workspace"]; dns: DnsContext },
  request: DnsRequest,
  context: AppContext,
): Promise<Submission> {
  const { host, port, tls, user, password } = settings;
  if (user === undefined || password === undefined)
    throw new Failure("no-credential", { service: service.key, title: service.title });
  if (dns.web === undefined) throw new Failure("no-server-in-files", {});
  const resolved = await dns.web.addresses(host);
  if ("failure" in resolved) throw new Failure("address-unseen", { host, because: resolved.failure });
  const [address] = resolved.found;
  if (address === undefined) throw new Failure("no-address", { host, title: service.title });
  return {
    host,
    address,
    port,
    tls,
    login: {
      user,
      password: readSecret(password, clause("secret-password", { title: service.title }), workspace.folder, context.env),
    },
    helo: "zandrel.invalid",
    timeout: request.timeout,
  };
}

/** How a submission ended; a status code is said in words. */
export function submitted(outcome: Submitted, host: string): Clause {
  if (outcome.kind === "accepted") return clause("service-took", { host, reply: outcome.reply });
  const { step } = outcome;
  if (outcome.kind === "failed")
    return step === "connect"
      ? clause("service-unreachable", { host, because: outcome.because })
      : clause("service-stopped", { host, step, because: outcome.because });
  const reply = outcome.reply.slice(0, 200);
  const status = enhancedStatus(outcome.reply);
  return clause("service-refused", {
    ...{ host, step, reply },
    meaning: status === undefined ? undefined : clause("status-code", status),
    remedy: status === undefined ? undefined : clause("status-code-mend", status),
  });
}
