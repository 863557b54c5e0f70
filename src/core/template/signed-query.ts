import { createPublicKey, type KeyObject, sign, verify } from "node:crypto";

/** A query string with its signature: RSA with SHA-256 over everything before it, in the open set-up format. */
export function signedQuery(query: string, key: KeyObject, label: string): string {
  const made = sign("sha256", Buffer.from(query), key).toString("base64");
  return `${query}&sig=${encodeURIComponent(made)}&key=${encodeURIComponent(label)}`;
}

/**
 * The public key that TXT records hold in pieces, `p=1,a=RS256,d=…`: the pieces in their order make the key in DER. Undefined where
 * they do not make one.
 */
export function keyFromPieces(texts: readonly string[]): KeyObject | undefined {
  const pieces = texts.flatMap((text) => {
    const fields = new Map(
      text.split(",").map((field) => [field.slice(0, field.indexOf("=")).trim(), field.slice(field.indexOf("=") + 1)]),
    );
    const [place, data] = [Number(fields.get("p")), fields.get("d")];
    const isRsa = (fields.get("a") ?? "RS256") === "RS256" && (fields.get("t") ?? "x509") === "x509";
    return Number.isInteger(place) && data !== undefined && isRsa ? [{ place, data }] : [];
  });
  const all = pieces.sort((a, b) => a.place - b.place).map(({ data }) => data);
  try {
    return createPublicKey({ key: Buffer.from(all.join(""), "base64"), format: "der", type: "spki" });
  } catch {
    return undefined;
  }
}

/** The texts that publish a key, in pieces that fit a character string. */
export function piecesOf(key: KeyObject): string[] {
  const data = key.export({ format: "der", type: "spki" }).toString("base64");
  const cut = data.match(/.{1,200}/g) ?? [];
  return cut.map((piece, i) => `p=${i + 1},a=RS256,d=${piece}`);
}

/** Whether a query string was signed with this key; `sig` and `key` stand at its end, and nothing behind them. */
export function isSignedBy(query: string, key: KeyObject): boolean {
  const at = query.indexOf("&sig=");
  if (at === -1) return false;
  const rest = [...new URLSearchParams(query.slice(at + 1))];
  // What stands behind the signature is not covered by it.
  if (rest.length > 2 || rest.some(([name], i) => name !== (i === 0 ? "sig" : "key"))) return false;
  const signature = rest[0]?.[1] ?? "";
  return verify("sha256", Buffer.from(query.slice(0, at)), key, Buffer.from(signature, "base64"));
}
