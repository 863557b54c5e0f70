/**
 * DKIM (RFC 6376, 8301, 8463): keys read and judged, messages signed and verified while their bodies pass by.
 *
 * ```ts
 * readKeyRecord(["v=DKIM1; k=rsa; p=MIIB…"]).problem;              // { kind: "cut", message: "the key says it has 294 octets, …" }
 * let signatures;
 * const header = await scanMessage(source, (header) => (signatures = new Signatures(header)).sinks);
 * await verifySignatures(signatures, header.value, lookup, now);  // [{ result: "fail", reason: "body-changed", … }]
 * await explainBody(source, verdict);                         // "3 lines were added at the end of the body …"
 * makeSignature(header.value, body, { domain, selector, key, … });  // the field to put on top
 * ```
 */
export * from "./canonical.ts";
export * from "./check.ts";
export * from "./diagnose-body.ts";
export * from "./header-input.ts";
export * from "./key.ts";
export * from "./key-types.ts";
export * from "./rotate.ts";
export * from "./sign.ts";
export * from "./signature.ts";
export * from "./value.ts";
export { BodyHashes, type DkimVerdict, Signatures, verifyOne, verifySignatures } from "./verify.ts";
