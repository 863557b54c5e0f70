import { Failure } from "../../core/failure.ts";
import type { Authority } from "../../core/lookup/index.ts";
import type { DomainName } from "../../core/name/index.ts";

/** Why nothing can be done with a domain whose name servers were not found: nobody serves it, or that could not be asked. */
export const unservedOrUnseen = (
  domain: DomainName,
  { kind, because }: Exclude<Authority, { kind: "delegated" }>,
): Failure<"domain-unserved" | "domain-unseen"> =>
  new Failure(kind === "not-delegated" ? "domain-unserved" : "domain-unseen", { domain, because });
