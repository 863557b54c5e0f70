import { Chain, explainChain, verifyChain } from "../arc/index.ts";
import { type Clause, clause } from "../clause/index.ts";
import { BodyHashes, type DkimVerdict, explainBody, Signatures, verifySignatures } from "../dkim/index.ts";
import {
  type Alignment,
  type DiscoveryWay,
  type DmarcVerdict,
  evaluateDmarc,
  type Identifier,
  POLICIES,
  type Policy,
} from "../dmarc/index.ts";
import { type Lookup, remembered } from "../lookup/index.ts";
import {
  type BodySink,
  fieldsNamed,
  fieldValue,
  type Mailbox,
  type MessageError,
  type MessageHeader,
  type MessageSource,
  parseMailboxes,
  scanMessage,
} from "../message/index.ts";
import { type DomainName, mailDomainOf } from "../name/index.ts";
import { ok, type Result } from "../result.ts";
import { checkSpf, type SpfVerdict } from "../spf/index.ts";
import { type Forwarded, forwardedBy } from "./forwarded.ts";
import { type Envelope, envelopeOf, type TracedEnvelope } from "./trace.ts";

/** SPF of one identity (RFC 7208 section 2.4). */
export interface SpfIdentity {
  readonly identity: "mailfrom" | "helo";
  /** The domain that was checked; undefined where the envelope does not name one. */
  readonly domain: DomainName | undefined;
  /** Undefined where the client's address is not known, so that nothing can be checked. */
  readonly verdict: SpfVerdict | undefined;
}

/** The From domain judged, or why that cannot be done. */
interface AuthorVerdict {
  readonly result: DmarcVerdict["result"];
  /** The one domain in From; undefined where there is none or more than one. */
  readonly domain: DomainName | undefined;
  readonly policy: Policy | undefined;
  readonly disposition: Policy;
  readonly because: Clause;
  readonly alignments: readonly Alignment[];
  /** Every From domain on its own. */
  readonly each: readonly DmarcVerdict[];
}

/** Everything a receiver can say about one message. */
export interface Verdict {
  readonly header: MessageHeader;
  readonly envelope: TracedEnvelope;
  readonly authors: readonly Mailbox[];
  readonly spf: SpfIdentity;
  /** The HELO identity, where it is another than the one above. */
  readonly helo: SpfIdentity | undefined;
  readonly dkim: readonly DkimVerdict[];
  /** Signatures beyond those that are looked at. */
  readonly ignoredSignatures: number;
  readonly dmarc: AuthorVerdict;
  /** What those who forwarded it say; undefined where nobody sealed it. */
  readonly forwarded: Forwarded | undefined;
  readonly body: BodyFacts;
}

export interface JudgeOptions {
  /** What is known of the envelope; the rest is read from the message's own trace. */
  readonly envelope: Envelope;
  /** Which Received line to believe, from the top; see {@link envelopeOf}. */
  readonly hop?: number;
  readonly lookup: Lookup;
  /** Seconds since 1970. */
  readonly now: number;
  readonly how?: DiscoveryWay;
  /** Sealers whose word the receiver takes; without it nobody said. */
  readonly trustedSealers?: readonly DomainName[];
}

/** What the octets of the body give away by themselves. */
interface BodyFacts {
  readonly octets: number;
  readonly hasNul: boolean;
  /** Longest line in octets, without its end; at most a little more than what mail allows is counted. */
  readonly longestLine: number;
}

class BodyWatch implements BodySink, BodyFacts {
  octets = 0;
  hasNul = false;
  longestLine = 0;
  #line = 0;

  write(chunk: Buffer): void {
    this.octets += chunk.length;
    this.hasNul ||= chunk.includes(0);
    let start = 0;
    for (let end = chunk.indexOf(10); end !== -1; end = chunk.indexOf(10, start)) {
      this.longestLine = Math.max(this.longestLine, this.#line + end - start - (chunk[end - 1] === 13 ? 1 : 0));
      this.#line = 0;
      start = end + 1;
    }
    this.#line += chunk.length - start;
    this.longestLine = Math.max(this.longestLine, this.#line);
  }

  end(): void {}
}

async function spfOf(
  { ip, helo = "", mailFrom }: TracedEnvelope,
  lookup: Lookup,
): Promise<[SpfIdentity, SpfIdentity | undefined]> {
  const ask = async (identity: SpfIdentity["identity"], from: string): Promise<SpfIdentity> => ({
    identity,
    domain: mailDomainOf(identity === "helo" ? helo : from),
    verdict:
      ip === undefined || mailFrom === undefined || (identity === "helo" && helo === "")
        ? undefined
        : await checkSpf({ ip, from, helo }, lookup),
  });
  // With the empty reverse path the HELO name is all there is (RFC 7208 section 2.4).
  if (mailFrom === undefined || mailFrom === "") return [await ask("helo", ""), undefined];
  return Promise.all([ask("mailfrom", mailFrom), helo === "" ? undefined : ask("helo", "")]);
}

/** The author of a message (RFC 5322 section 3.6.2): one From field, with at least one address. */
function authorsOf(header: MessageHeader): { authors: Mailbox[]; wrong?: Clause } {
  const from = fieldsNamed(header, "from");
  if (from.length === 0) return { authors: [], wrong: clause("verdict-no-from") };
  const authors: Mailbox[] = [];
  for (const headerField of from) {
    const parsed = parseMailboxes(fieldValue(headerField));
    if (!parsed.ok) return { authors, wrong: clause("verdict-from-unreadable", { error: parsed.error }) };
    authors.push(...parsed.value);
  }
  if (from.length > 1) return { authors, wrong: clause("verdict-several-from", { from: from.length }) };
  if (authors.length === 0) return { authors, wrong: clause("verdict-from-nobody") };
  if (authors.some((mailbox) => mailbox.domain === undefined)) return { authors, wrong: clause("verdict-from-no-domain") };
  return { authors };
}

/** Domains in From that are judged; a message with more is refused by any receiver. */
const MAX_AUTHORS = 10;

const strictest = (policies: readonly Policy[]): Policy =>
  policies.reduce<Policy>((most, one) => (POLICIES.indexOf(one) > POLICIES.indexOf(most) ? one : most), "none");

async function dmarcOf(
  { authors, wrong }: ReturnType<typeof authorsOf>,
  identifiers: readonly Identifier[],
  { lookup, how }: Pick<JudgeOptions, "lookup" | "how">,
): Promise<AuthorVerdict> {
  const basis = identifiers
    .map((identifier) => `${identifier.by} ${identifier.domain} ${identifier.passes} ${identifier.temporary}`)
    .join();
  const one = (domain: DomainName): Promise<DmarcVerdict> =>
    remembered(lookup, `dmarc ${how?.way} ${domain} ${basis}`, () => evaluateDmarc(domain, identifiers, lookup, how));
  const [first] = authors;
  // Nearly every message has one author.
  if (wrong === undefined && authors.length === 1 && first?.domain !== undefined) {
    const verdict = await one(first.domain);
    const { result, domain, policy, disposition, because, alignments } = verdict;
    return { result, domain, policy, disposition, because, alignments, each: [verdict] };
  }
  const domains = [...new Set(authors.flatMap((author) => (author.domain === undefined ? [] : [author.domain])))].slice(
    0,
    MAX_AUTHORS,
  );
  const each = await Promise.all(domains.map(one));
  const [only, ...more] = each;
  if (wrong === undefined && only !== undefined && more.length === 0) {
    const { result, domain, policy, disposition, because, alignments } = only;
    return { result, domain, policy, disposition, because, alignments, each };
  }
  // Several authors: the strictest policy among those that fail counts (RFC 7489 section 6.6.1), and none passes alone.
  const failing = each.filter((dmarcVerdict) => dmarcVerdict.result !== "pass");
  const asked = failing.flatMap((dmarcVerdict) => dmarcVerdict.policy ?? []);
  const result =
    wrong !== undefined
      ? "permerror"
      : ((["temperror", "fail", "permerror", "none"] as const).find((candidate) =>
          each.some((verdict) => verdict.result === candidate),
        ) ?? "pass");
  const because =
    wrong ??
    (failing.length === 0
      ? clause("verdict-all-pass")
      : clause("verdict-some-unproven", {
          domains: domains.length,
          failing: failing.map((dmarcVerdict) => dmarcVerdict.domain),
        }));
  return {
    result,
    domain: domains.length === 1 ? domains[0] : undefined,
    policy: asked.length === 0 ? undefined : strictest(asked),
    disposition: strictest(failing.map((dmarcVerdict) => dmarcVerdict.disposition)),
    because,
    alignments: each.flatMap((dmarcVerdict) => dmarcVerdict.alignments),
    each,
  };
}

/** Judges a message as a receiver does: SPF, DKIM and DMARC. The body passes by and is never held in memory. */
export async function judgeMessage(source: MessageSource, options: JudgeOptions): Promise<Result<Verdict, MessageError>> {
  const { lookup, now, envelope: given, hop } = options;
  let signatures: Signatures | undefined;
  let chain: Chain | undefined;
  const bodies = new BodyHashes();
  const body = new BodyWatch();
  const scanned = await scanMessage(source, (header) => {
    signatures = new Signatures(header, bodies);
    chain = new Chain(header, bodies);
    return [body, ...bodies.all];
  });
  if (!scanned.ok) return scanned;
  const header = scanned.value;
  const isWhole = given.ip !== undefined && given.helo !== undefined && given.mailFrom !== undefined;
  const envelope: TracedEnvelope = isWhole ? given : { ...envelopeOf(header, hop), ...given };
  const [[spf, helo], verdicts, sealed] = await Promise.all([
    remembered(lookup, `spf ${envelope.ip} ${envelope.helo} ${envelope.mailFrom}`, () => spfOf(envelope, lookup)),
    verifySignatures(signatures as Signatures, header, lookup, now),
    verifyChain(chain as Chain, header, lookup, now),
  ]);
  const dkim = !verdicts.some((dkimVerdict) => dkimVerdict.reason === "body-changed")
    ? verdicts
    : await Promise.all(
        verdicts.map((dkimVerdict) => (dkimVerdict.reason === "body-changed" ? explainBody(source, dkimVerdict) : dkimVerdict)),
      );
  const from = authorsOf(header);
  const identifiers: Identifier[] = [];
  // Where the envelope is not known, the sender's domain may be any, the author's among them.
  const sender = spf.domain ?? (envelope.mailFrom === undefined ? from.authors[0]?.domain : undefined);
  if (sender !== undefined)
    identifiers.push({
      by: "spf",
      domain: sender,
      passes: spf.verdict?.result === "pass",
      temporary: spf.verdict === undefined || spf.verdict.result === "temperror",
    });
  for (const { domain, result } of dkim)
    if (domain !== undefined)
      identifiers.push({ by: "dkim", domain, passes: result === "pass", temporary: result === "temperror" });
  const dmarc = await dmarcOf(from, identifiers, options);
  const { trustedSealers: trusted } = options;
  return ok({
    forwarded: forwardedBy(await explainChain(sealed, source), { author: dmarc.domain, dkim, dmarc: dmarc.result, trusted }),
    header,
    envelope,
    authors: from.authors,
    spf,
    helo,
    dkim,
    ignoredSignatures: (signatures as Signatures).ignored,
    dmarc,
    body,
  });
}
