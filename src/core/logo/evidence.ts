import { createHash, X509Certificate } from "node:crypto";
import { type Clause, clause } from "../clause/index.ts";
import { type DomainName, isAtOrBelow, name, parseName } from "../name/index.ts";

/** What a document of evidence for a logo says: a chain of certificates, its own first (RFC 3709, RFC 9399). */
export interface Evidence {
  /** Why it cannot be relied on, each half a sentence; empty where nothing is wrong. */
  readonly offences: readonly Clause[];
  /** Who issued it, and until when it is good, in milliseconds since 1970. */
  readonly issuer: string | undefined;
  readonly until: number | undefined;
}

/** That a certificate is for logos in mail, in its extended key usage. */
const FOR_LOGOS = "1.3.6.1.5.5.7.3.31";
/** The extension with the logotype (RFC 9399), and the one with the entries of public logs (RFC 6962). */
const LOGOTYPE = Buffer.from("06082b0601050507010c", "hex");
const LOG_ENTRIES = Buffer.from("060a2b06010401d679020402", "hex");
const MAX_CERTIFICATES = 10;

const PEM = /-----BEGIN CERTIFICATE-----([A-Za-z0-9+/=\s]+)-----END CERTIFICATE-----/g;

/** The drawing inside a certificate, unpacked; undefined where there is none that can be read. */
function drawingIn(raw: Buffer, unpack: (octets: Buffer) => Buffer): Buffer | undefined {
  const at = raw.indexOf(LOGOTYPE);
  const start = at === -1 ? -1 : raw.indexOf("data:image/svg+xml", at);
  if (start === -1) return undefined;
  const comma = raw.indexOf(",", start);
  const head = raw.toString("latin1", start, Math.min(comma, start + 80));
  if (comma === -1 || !head.endsWith(";base64")) return undefined;
  const packed = Buffer.from(/^[A-Za-z0-9+/=]*/.exec(raw.toString("latin1", comma + 1))?.[0] ?? "", "base64");
  return packed.length === 0 ? undefined : unpack(packed);
}

/** Names that a certificate is for. */
const namesOf = ({ subjectAltName = "" }: X509Certificate): DomainName[] =>
  (subjectAltName ?? "").split(/,\s*/).flatMap((entry) => {
    const parsed = entry.startsWith("DNS:") ? parseName(entry.slice(4)) : undefined;
    return parsed?.ok === true ? [parsed.value] : [];
  });

/**
 * Judges the evidence for a logo: a PEM chain from the leaf up, for this domain, for logos, with the same drawing in it as the one that
 * is shown. Whose roots a mailbox provider trusts is its own business, and not judged.
 *
 * @param drawing the drawing that is served; undefined where it is not known
 * @param at milliseconds since 1970
 */
export function checkEvidence(
  pem: string,
  {
    domain,
    selector,
    drawing,
    at,
    unpack,
  }: {
    domain: DomainName;
    selector: string;
    drawing: Uint8Array | undefined;
    at: number;
    /** Octets as they are drawn, where they are packed (gzip). */
    unpack: (octets: Buffer) => Buffer;
  },
): Evidence {
  const nothing = (because: Clause): Evidence => ({ offences: [because], issuer: undefined, until: undefined });
  const blocks = [...pem.matchAll(PEM)].slice(0, MAX_CERTIFICATES + 1);
  if (blocks.length === 0) return nothing(clause("evidence-no-certificate"));
  if (blocks.length > MAX_CERTIFICATES) return nothing(clause("evidence-too-many", { most: MAX_CERTIFICATES }));
  const chain: X509Certificate[] = [];
  for (const [i, [text]] of blocks.entries())
    try {
      chain.push(new X509Certificate(text));
    } catch {
      return nothing(clause("evidence-unreadable", { number: i + 1 }));
    }
  const leaf = chain[0] as X509Certificate;
  const [from, until] = [Date.parse(leaf.validFrom), Date.parse(leaf.validTo)];
  const offences: Clause[] = [];
  if (at < from) offences.push(clause("evidence-not-yet", { from }));
  if (at > until) offences.push(clause("evidence-expired", { until }));
  for (const [i, one] of chain.entries()) {
    const above = chain[i + 1];
    if (above !== undefined && !(one.checkIssued(above) && one.verify(above.publicKey)))
      offences.push(clause("evidence-order", { number: i + 1 }));
    if (i > 0 && (at < Date.parse(one.validFrom) || at > Date.parse(one.validTo)))
      offences.push(clause("evidence-above-expired", { number: i + 1 }));
  }
  if (chain.length === 1 && !leaf.checkIssued(leaf)) offences.push(clause("evidence-alone"));
  if (!((leaf.keyUsage ?? []) as readonly string[]).includes(FOR_LOGOS)) offences.push(clause("evidence-not-for-logos"));
  const names = namesOf(leaf);
  const own = name(`${selector}._bimi.${domain}`);
  if (!names.some((one) => one === domain || one === own || isAtOrBelow(domain, one)))
    offences.push(clause("evidence-other-domain", { names }));
  if (!leaf.raw.includes(LOG_ENTRIES)) offences.push(clause("evidence-no-log"));
  const inside = drawingIn(leaf.raw, unpack);
  if (inside === undefined) offences.push(clause("evidence-no-drawing"));
  else if (drawing !== undefined && !inside.equals(drawing)) offences.push(clause("evidence-other-drawing"));
  else if (!hashFits(leaf.raw, inside)) offences.push(clause("evidence-hash"));
  const issuer = /(?:^|\n)O=([^\n]+)/.exec(leaf.issuer)?.[1] ?? /(?:^|\n)CN=([^\n]+)/.exec(leaf.issuer)?.[1];
  return { offences, issuer, until };
}

/** Whether the hash beside the drawing is that of the drawing, as it is embedded or unpacked (RFC 3709 section 4.1). */
function hashFits(raw: Buffer, drawing: Buffer): boolean {
  const from = raw.indexOf(LOGOTYPE);
  const start = raw.indexOf("data:image/svg+xml", from);
  const comma = raw.indexOf(",", start);
  const packed = Buffer.from(/^[A-Za-z0-9+/=]*/.exec(raw.toString("latin1", comma + 1))?.[0] ?? "", "base64");
  return ["sha256", "sha1", "sha384", "sha512"].some((algorithm) =>
    [packed, drawing].some((octets) => raw.indexOf(createHash(algorithm).update(octets).digest(), from) !== -1),
  );
}
