import { type Clause, clause } from "../clause/index.ts";
import { type DomainName, isAtOrBelow, mailDomainOf } from "../name/index.ts";
import { permissionName } from "./destination.ts";
import { POLICIES, type Policy } from "./policy.ts";
import { type DmarcRecord, mailto } from "./record.ts";

/** When a failure report is sent (RFC 7489 section 6.3, `fo`), by the word for it. */
export const FAILURES_WHEN = { "all-fail": "0", "any-fails": "1", "dkim-fails": "d", "spf-fails": "s" } as const;
export type FailuresWhen = keyof typeof FAILURES_WHEN;

/** What the user answered. */
export interface Answers {
  readonly policy: Policy;
  readonly subdomains?: Policy;
  readonly nonexistent?: Policy;
  /** Addresses for aggregate reports. */
  readonly aggregate: readonly string[];
  /** Addresses for failure reports. */
  readonly failure: readonly string[];
  /** When receivers are to send them; {@link FAILURES_WHEN} `all-fail` is what counts where a record does not say. */
  readonly failuresWhen?: FailuresWhen;
  readonly strictDkim: boolean;
  readonly strictSpf: boolean;
  /** Tried out first: receivers apply one step milder. */
  readonly gradual: boolean;
}

/** What is known about the domain when a record is composed. */
export interface Situation {
  readonly domain: DomainName;
  readonly organizational: DomainName;
  /** The record that is there. */
  readonly existing?: DmarcRecord;
  /** Whether reports were seen that allow this policy; undefined where none were imported. */
  readonly reportsAllow?: boolean;
  readonly rua: "wanted" | "declined";
  /** The user said so after having been told what is in the way. */
  readonly insists: boolean;
}

/** A guard rail the answers run into, each a stable word. */
interface Obstacle {
  readonly kind: "not-an-address" | "no-reports" | "strict-too-soon";
  readonly because: Clause;
  readonly wayOut: Clause;
}

export interface Composed {
  readonly text: string;
  readonly obstacles: readonly Obstacle[];
  /** Records that owners of report destinations must publish (RFC 7489 section 7.1). */
  readonly permissions: readonly { readonly destination: DomainName; readonly name: DomainName; readonly text: string }[];
  /** Remarks that stop nothing. */
  readonly remarks: readonly Clause[];
}

const isAddress = (text: string): boolean => /^[^\s@<>]+@[^\s@<>]+\.[^\s@<>]+$/.test(text) && mailDomainOf(text) !== undefined;

/** Composes a DMARC record from answers, with guard rails. */
export function composeDmarc(answers: Answers, situation: Situation): Composed {
  const { policy, subdomains, nonexistent, aggregate, failure, gradual } = answers;
  const { domain, existing, reportsAllow, rua, insists, organizational } = situation;
  const obstacles: Obstacle[] = [];
  const remarks: Clause[] = [];
  for (const address of [...aggregate, ...failure])
    if (!isAddress(address))
      obstacles.push({
        kind: "not-an-address",
        because: clause("dmarc-no-address", { address }),
        wayOut: clause("dmarc-no-address-mend"),
      });
  if (aggregate.length === 0 && rua === "wanted")
    obstacles.push({
      kind: "no-reports",
      because: clause("dmarc-no-reports"),
      wayOut: clause("dmarc-no-reports-mend"),
    });
  const strictest = [policy, subdomains, nonexistent === undefined || nonexistent === "reject" ? undefined : nonexistent].filter(
    (candidate) => candidate !== undefined,
  );
  const tightens = strictest.some((candidate) => POLICIES.indexOf(candidate) > POLICIES.indexOf(existing?.policy ?? "none"));
  if (tightens && reportsAllow !== true && !insists)
    obstacles.push({
      kind: "strict-too-soon",
      because:
        existing === undefined
          ? clause("dmarc-first-strict", { policy })
          : reportsAllow === false
            ? clause("dmarc-reports-show-own")
            : clause("dmarc-no-reports-read"),
      wayOut: clause("dmarc-start-with-none"),
    });
  if (subdomains !== undefined && POLICIES.indexOf(subdomains) < POLICIES.indexOf(policy))
    remarks.push(clause("dmarc-subdomains-weaker", { subdomains, policy }));
  const when = answers.failuresWhen;
  if (failure.length > 0)
    remarks.push(clause("dmarc-failures-when", { when: when ?? "all-fail" }), clause("dmarc-few-failure-reports"));
  if (when !== undefined && failure.length === 0) remarks.push(clause("dmarc-failures-nowhere"));
  if (gradual && policy === "none") remarks.push(clause("dmarc-testing-none"));
  const tags = [
    `p=${policy}`,
    ...(subdomains === undefined ? [] : [`sp=${subdomains}`]),
    ...(nonexistent === undefined ? [] : [`np=${nonexistent}`]),
    ...(gradual ? ["t=y"] : []),
    ...(answers.strictDkim ? ["adkim=s"] : []),
    ...(answers.strictSpf ? ["aspf=s"] : []),
    ...(aggregate.length === 0 ? [] : [`rua=${aggregate.map(mailto).join(",")}`]),
    ...(failure.length === 0 ? [] : [`ruf=${failure.map(mailto).join(",")}`]),
    ...(failure.length === 0 || when === undefined || when === "all-fail" ? [] : [`fo=${FAILURES_WHEN[when]}`]),
  ];
  const destinations = new Set<DomainName>();
  for (const address of [...aggregate, ...failure]) {
    const of = mailDomainOf(address);
    if (of !== undefined && isAddress(address) && !isAtOrBelow(of, organizational)) destinations.add(of);
  }
  const permissions = [...destinations].flatMap((destination) => {
    const name = permissionName(domain, destination);
    return name === undefined ? [] : [{ destination, name, text: "v=DMARC1;" }];
  });
  for (const { destination } of permissions) remarks.push(clause("dmarc-consent-needed", { destination }));
  return { text: `v=DMARC1; ${tags.join("; ")}`, obstacles, permissions, remarks };
}
