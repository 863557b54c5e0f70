import type { Clause } from "../../clause/index.ts";
import { readKeyRecord } from "../../dkim/index.ts";
import { type DmarcRecord, readDmarcRecord } from "../../dmarc/index.ts";
import { decodeUtf8, type ResourceRecord, txtValue } from "../../record/index.ts";
import { spfMistake } from "../../spf/index.ts";
import type { IntakeProblem } from "./problem.ts";

const BROKEN = new Set(["cut", "too-long", "doubled", "not-a-key", "quotes", "not-base64"]);

/** A signing key that cannot be one: cut, doubled, or no key at all. */
export function brokenKey({ name, type, data }: ResourceRecord, row: number): IntakeProblem | undefined {
  if (type !== "TXT" || !name.includes("._domainkey.") || !("strings" in data)) return undefined;
  const { problem } = readKeyRecord(data.strings);
  return problem === undefined || !BROKEN.has(problem.kind) ? undefined : { row, code: "key-broken", name, why: problem.message };
}

/** A record that was meant for receivers of mail, and that they would not take as it is. */
export function brokenPolicy({ name, type, data }: ResourceRecord, row: number): IntakeProblem | undefined {
  if (type !== "TXT" || !("strings" in data)) return undefined;
  const text = decodeUtf8(txtValue(data));
  const problem = (standard: "SPF" | "DMARC", { message, meant }: { message: Clause; meant?: string }): IntakeProblem => ({
    ...{ row, code: "policy-broken", name, standard },
    ...{ why: message, meant },
  });
  if (name.startsWith("_dmarc.")) {
    const read = readDmarcRecord(text);
    return read.ok || read.error[0] === undefined ? undefined : problem("DMARC", read.error[0]);
  }
  const mistake = spfMistake(text);
  return mistake === undefined ? undefined : problem("SPF", mistake);
}

/** What receivers pass over in a record that they take otherwise: tags and addresses of a DMARC record. */
export function passedOver({ name, type, data }: ResourceRecord): DmarcRecord["mistakes"] {
  if (type !== "TXT" || !("strings" in data) || !name.startsWith("_dmarc.")) return [];
  const read = readDmarcRecord(decodeUtf8(txtValue(data)));
  return read.ok ? read.value.mistakes : [];
}
