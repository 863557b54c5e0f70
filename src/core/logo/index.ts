/**
 * The logo beside the name (BIMI, an Internet-Draft): its record, its drawing (SVG Tiny PS) and the evidence for it.
 *
 * ```ts
 * readLogoRecord("v=BIMI1; l=https://www.brackwater.example/logo.svg; a=");   // { kind: "record", record: { drawing: "https://…" } }
 * checkDrawing(octets).offences;                   // [{ line: 3, because: "it has a script" }]
 * prepareDrawing(octets, "Brackwater").text;       // the same picture, within the profile
 * checkEvidence(pem, { domain, selector: "default", drawing, at }).offences;
 * ```
 */
export * from "./drawing.ts";
export * from "./evidence.ts";
export * from "./prepare.ts";
export * from "./record.ts";
