import { randomBytes } from "node:crypto";
import { generate } from "selfsigned";

/** A key and its certificate, as PEM. */
export interface KeyPair {
  readonly key: string;
  readonly cert: string;
}

/** A certificate authority that nobody outside trusts. */
export interface Authority {
  /** Its certificate, as PEM. */
  readonly pem: string;
  /** A certificate for the hosts named. */
  leaf(...hosts: string[]): Promise<KeyPair>;
}

export async function makeAuthority(): Promise<Authority> {
  const kind = { keyType: "ec", algorithm: "sha256" } as const;
  // A name of its own: who trusts two labs tells their authorities apart by it.
  const ca = await generate([{ name: "commonName", value: `Lab Certificate Authority ${randomBytes(4).toString("hex")}` }], {
    ...kind,
    extensions: [
      { name: "basicConstraints", cA: true, critical: true },
      { name: "keyUsage", keyCertSign: true, cRLSign: true, critical: true },
    ],
  });
  return {
    pem: ca.cert,
    async leaf(...hosts) {
      const generateResult = await generate([{ name: "commonName", value: hosts[0] as string }], {
        ...kind,
        ca: { key: ca.private, cert: ca.cert },
        extensions: [{ name: "subjectAltName", altNames: hosts.map((value) => ({ type: 2, value })) }],
      });
      return { key: generateResult.private, cert: generateResult.cert };
    },
  };
}
