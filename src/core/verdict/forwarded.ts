import type { ArcSet, ChainVerdict } from "../arc/index.ts";
import { type Clause, clause } from "../clause/index.ts";
import { distinct } from "../distinct.ts";
import type { DkimVerdict } from "../dkim/index.ts";
import { type DomainName, isAtOrBelow, readMailDomain } from "../name/index.ts";

/** What a chain says of a message that was forwarded, and what that is worth at this receiver. */
export interface Forwarded {
  readonly chain: ChainVerdict;
  /** The first of those who handled it that saw it proven; undefined where none of them says so. */
  readonly provenAt: ArcSet | undefined;
  /** Whose change broke the author's signature, as far as the chain shows; undefined where nothing was broken. */
  readonly changedAt: ArcSet | undefined;
  /** Whether the receiver trusts everybody from there on; undefined where nobody said whom it trusts. */
  readonly trusted: boolean | undefined;
  /** Whether the message is delivered in spite of DMARC, because its chain is trusted. */
  readonly overrides: boolean;
  /** All of it as one sentence without its full stop. */
  readonly because: Clause;
}

/** Whether a domain that somebody wrote down is the author's, or belongs to it. */
function isOf(text: string | undefined, author: DomainName | undefined): boolean {
  const parsed = text === undefined ? undefined : readMailDomain(text.slice(text.lastIndexOf("@") + 1));
  return author !== undefined && parsed?.ok === true && (isAtOrBelow(parsed.value, author) || isAtOrBelow(author, parsed.value));
}

/** What a handler says of DMARC, for this author: the result, in lower case; undefined where it says nothing. */
const dmarcSeen = ({ results }: ArcSet, author: DomainName | undefined): string | undefined =>
  results.results.find(
    ({ method, properties }) =>
      method === "dmarc" && (!properties.has("header.from") || isOf(properties.get("header.from"), author)),
  )?.result;

/** Whether a handler saw the author's own signature hold. */
const signatureSeen = ({ results }: ArcSet, author: DomainName | undefined): boolean =>
  results.results.some(
    ({ method, result, properties }) =>
      method === "dkim" && result === "pass" && isOf(properties.get("header.d") ?? properties.get("header.i"), author),
  );

/** What broke the author's signature: of those that were changed on the way, the one that belongs to the author comes first. */
function brokenSignature(dkim: readonly DkimVerdict[], author: DomainName | undefined): DkimVerdict | undefined {
  const broken = dkim.filter(({ reason }) => reason === "body-changed" || reason === "body-cut" || reason === "header-changed");
  return broken.find(({ domain }) => isOf(domain?.slice(0, -1), author)) ?? broken[0];
}

/** What a receiver knows of a message beside its chain. */
interface Known {
  readonly author: DomainName | undefined;
  readonly dkim: readonly DkimVerdict[];
  /** How DMARC ends here. */
  readonly dmarc: string;
  /** Sealers that the receiver trusts; undefined where nobody said. */
  readonly trusted: readonly DomainName[] | undefined;
}

/** Reads what a chain says about a message: who saw it proven, who changed it, and whether a receiver that trusts them delivers it. */
export function forwardedBy(chain: ChainVerdict, { author, dkim, dmarc, trusted }: Known): Forwarded | undefined {
  const { sets, result } = chain;
  if (result === "none") return undefined;
  const nothing = { chain, provenAt: undefined, changedAt: undefined, trusted: undefined, overrides: false };
  const [first] = sets;
  if (result !== "pass" || first === undefined) {
    const because = chain.because ?? clause("nothing");
    return {
      ...nothing,
      because: result === "temperror" ? clause("arc-undetermined", { because }) : clause("arc-broken", { because }),
    };
  }
  const provenAt =
    sets.find((set) => dmarcSeen(set, author) === "pass") ??
    sets.find((set) => dmarcSeen(set, author) === undefined && signatureSeen(set, author));
  if (provenAt === undefined)
    return { ...nothing, because: clause("arc-unproven", { sealer: first.seal.domain, seen: dmarcSeen(first, author) }) };
  const broken = brokenSignature(dkim, author);
  // Whoever sealed first after the change is the one that made it, or let it be made.
  const changedAt = broken === undefined ? undefined : (sets.find(({ instance }) => instance === chain.oldestPass) ?? first);
  const relied = sets.filter(({ instance }) => instance >= provenAt.instance);
  const isTrusted = trusted && relied.every(({ seal }) => trusted.some((domain) => isAtOrBelow(seal.domain, domain)));
  const overrides = isTrusted === true && dmarc !== "pass" && dmarc !== "none";
  const because = clause("arc-proven", {
    sealer: provenAt.seal.domain,
    dmarc: dmarcSeen(provenAt, author) === "pass",
    change:
      changedAt === undefined ? undefined : { by: changedAt.seal.domain, what: broken?.because ?? clause("dkim-body-changed") },
    ending: dmarc === "pass" ? "passes" : overrides ? "delivered" : isTrusted === false ? "not-trusted" : "may",
    sealers: distinct(relied.map(({ seal }) => seal.domain)),
  });
  return { chain, provenAt, changedAt, trusted: isTrusted, overrides, because };
}
