import { createHash, type KeyObject, sign } from "node:crypto";
import { type BodyHash, cutValue, headerInput, signedFields } from "../dkim/index.ts";
import { field, type HeaderField, type MessageHeader } from "../message/index.ts";
import type { DomainName } from "../name/index.ts";
import { readSets } from "./read-sets.ts";
import { type ChainValue, sealInput } from "./seal.ts";

/** What a new set is to say. */
export interface SetOptions {
  readonly domain: DomainName;
  readonly selector: string;
  readonly key: KeyObject;
  /** What was seen when the message arrived: the value of an Authentication-Results field. */
  readonly results: string;
  /** What the chain before it was found to be. */
  readonly cv: ChainValue;
  /** Seconds since 1970. */
  readonly sealedAt: number;
}

/** Fields that a set signs where they are there; never those of a chain. */
const SIGNED = ["from", "to", "cc", "subject", "date", "message-id", "mime-version", "content-type", "list-id", "dkim-signature"];

/**
 * Makes the three fields of the next set of a chain, to be put on top of a message whose body went through `body` (RFC 8617 section
 * 5.1). Undefined where the chain of the message has no place for one more.
 */
export function makeSet(header: MessageHeader, body: BodyHash, options: SetOptions): readonly HeaderField[] | undefined {
  const { sets, broken } = readSets(header);
  if (broken !== undefined || sets.some(({ seal }) => seal.cv === "fail")) return undefined;
  const { domain, selector, key, results, cv, sealedAt } = options;
  const instance = sets.length + 1;
  const algorithm = key.asymmetricKeyType === "ed25519" ? "ed25519-sha256" : "rsa-sha256";
  const value = (input: Buffer): string =>
    cutValue(
      (algorithm === "ed25519-sha256"
        ? sign(null, createHash("sha256").update(input).digest(), key)
        : sign("sha256", input, key)
      ).toString("base64"),
    );
  const who = `d=${domain.slice(0, -1)}; s=${selector}; t=${sealedAt};`;
  const seen = field(`ARC-Authentication-Results: i=${instance}; ${results}`);
  const names = SIGNED.flatMap((name) => header.fields.filter((one) => one.name === name).map(() => name));
  const unsigned = field(
    `ARC-Message-Signature: i=${instance}; a=${algorithm}; c=relaxed/relaxed;\r\n\t${who}\r\n\th=${names.join(":\r\n\t")};\r\n\tbh=${body.digest};\r\n\tb=`,
  );
  const signature = field(
    `${unsigned.raw}${value(headerInput(signedFields(header.fields, names), { header: "relaxed", unsigned }))}`,
  );
  const unsealed = field(`ARC-Seal: i=${instance}; a=${algorithm}; cv=${cv};\r\n\t${who}\r\n\tb=`);
  // A chain that is broken is sealed as it is, and ends there: nothing before it is covered (RFC 8617 section 5.1.2).
  const covered = cv === "fail" ? [] : sets.flatMap(({ fields }) => fields);
  const seal = field(`${unsealed.raw}${value(sealInput([...covered, seen, signature], unsealed))}`);
  return [seal, signature, seen];
}
