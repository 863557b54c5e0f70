import { createPrivateKey, generateKeyPairSync, type KeyObject } from "node:crypto";
import { join } from "node:path";
import type { KeyType } from "../core/dkim/index.ts";
import { Failure } from "../core/failure.ts";
import type { DomainName } from "../core/name/index.ts";
import { createFile, filesIn, readText } from "./files.ts";

/** Where the private key of a selector is kept. */
export const keyPath = (folder: string, domain: DomainName, selector: string): string =>
  join(folder, "keys", domain.slice(0, -1), `${selector}.pem`);

/** Makes a key pair; the private key goes to its file (PKCS#8, mode 0600), which must not be there yet. Gives back the public key. */
export function newKey(path: string, type: KeyType): KeyObject {
  const pair =
    type === "ed25519" ? generateKeyPairSync("ed25519") : generateKeyPairSync("rsa", { modulusLength: Number(type.slice(4)) });
  const pem = String(pair.privateKey.export({ type: "pkcs8", format: "pem" }));
  createFile(path, pem, { what: "key", mode: 0o600 });
  return pair.publicKey;
}

/** Reads a private key in PEM; its content never appears in an error. */
export function readPrivateKey(path: string): KeyObject {
  const pem = readText(path, "utf8", 64 << 10);
  try {
    return createPrivateKey(pem);
  } catch {
    throw new Failure("not-a-private-key", { path });
  }
}

/** The selectors whose private keys the workspace has for a domain. */
export const keySelectors = (folder: string, domain: DomainName): string[] =>
  filesIn(join(folder, "keys", domain.slice(0, -1)), ".pem").map((file) => file.slice(0, -4));
