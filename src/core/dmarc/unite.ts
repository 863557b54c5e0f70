import { err, ok, type Result } from "../result.ts";
import { readTagList } from "../tag-list.ts";
import { atLeast, type Policy } from "./policy.ts";
import { type DmarcRecord, readDmarcRecord } from "./record.ts";

/** The policy that counts for subdomains, and for those that do not exist (RFC 7489 section 6.3 and its successor). */
const forSubdomains = ({ policy, subdomains }: DmarcRecord): Policy => subdomains ?? policy;
const forNonexistent = (record: DmarcRecord): Policy => record.nonexistent ?? forSubdomains(record);

const addressKey = ({ address, text }: DmarcRecord["aggregate"][number]): string => (address ?? text).toLowerCase();
const allIn = (there: DmarcRecord["aggregate"], asked: DmarcRecord["aggregate"]): boolean =>
  asked.every((uri) => there.some((own) => addressKey(own) === addressKey(uri)));

/**
 * Whether a record does all that another one asks for: a policy at least as strict, every report address, the same share of mail and
 * the same alignment where one is asked for. How it is written does not matter.
 */
export function doesAllOf(there: string, asked: string): boolean {
  const [own, wanted] = [readDmarcRecord(there), readDmarcRecord(asked)];
  if (!own.ok || !wanted.ok) return there === asked;
  const [has, wants] = [own.value, wanted.value];
  const says = (name: string) => readTagList(asked).get(name) !== undefined;
  return (
    atLeast(has.policy, wants.policy) &&
    atLeast(forSubdomains(has), forSubdomains(wants)) &&
    atLeast(forNonexistent(has), forNonexistent(wants)) &&
    (wants.policy === "none" || has.percent >= wants.percent) &&
    (wants.testing || !has.testing) &&
    (!says("adkim") || has.dkimAlignment === wants.dkimAlignment) &&
    (!says("aspf") || has.spfAlignment === wants.spfAlignment) &&
    (!says("fo") || wants.failureOptions.every((option) => has.failureOptions.includes(option))) &&
    allIn(has.aggregate, wants.aggregate) &&
    allIn(has.failure, wants.failure)
  );
}

/** The tags in the order in which records are written. */
const ORDER = ["p", "sp", "np", "adkim", "aspf", "pct", "t", "fo", "rf", "ri", "rua", "ruf", "psd"];

const stricter = (a: Policy, b: Policy): Policy => (atLeast(a, b) ? a : b);

/**
 * One record that does what several ask for: the strictest policy, every report address, and whatever else each of them says. Policies
 * are united as SPF is, because a name has one record only (RFC 7489 section 6.6.3); nothing that one of them has is lost. What cannot be
 * read asks for nothing; where none can, the last one is given back.
 *
 * @returns the tag in which they contradict each other, where one record cannot do both
 */
export function uniteDmarc(texts: readonly string[]): Result<string, string> {
  const [only] = texts;
  if (only !== undefined && texts.every((text) => text === only)) return ok(only);
  const read = texts.flatMap((text) => {
    const record = readDmarcRecord(text);
    return record.ok ? [{ record: record.value, tags: readTagList(text).tags }] : [];
  });
  const said = new Map<string, string[]>();
  for (const { tags } of read)
    for (const { name, value } of tags) if (name !== "v") said.set(name, [...(said.get(name) ?? []), value]);
  const records = read.map(({ record }) => record);
  if (records.length === 0) return ok(texts.at(-1) ?? "");
  const policy = records.map((record) => record.policy).reduce(stricter);
  const subdomains = records.map(forSubdomains).reduce(stricter);
  const nonexistent = records.map(forNonexistent).reduce(stricter);
  const uris = (key: "aggregate" | "failure") => {
    const all = new Map(records.flatMap((record) => record[key]).map((uri) => [addressKey(uri), uri.text]));
    return all.size === 0 ? undefined : [...all.values()].join(",");
  };
  const percent = Math.max(...records.map((record) => record.percent));
  const tags = new Map<string, string | undefined>([
    ["p", policy],
    ["sp", subdomains === policy && !said.has("sp") ? undefined : subdomains],
    ["np", nonexistent === subdomains && !said.has("np") ? undefined : nonexistent],
    ["pct", percent === 100 ? undefined : String(percent)],
    ["t", records.every(({ testing }) => testing) ? "y" : undefined],
    ["fo", said.has("fo") ? [...new Set((said.get("fo") ?? []).flatMap((value) => value.split(":")))].join(":") : undefined],
    ["ri", said.has("ri") ? String(Math.min(...records.map((record) => record.interval))) : undefined],
    ["rua", uris("aggregate")],
    ["ruf", uris("failure")],
  ]);
  for (const [name, values] of said) {
    if (tags.has(name)) continue;
    const different = [...new Set(values.map((value) => value.toLowerCase()))];
    if (different.length > 1) return err(name);
    tags.set(name, values[0]);
  }
  const place = (name: string) => (ORDER.includes(name) ? ORDER.indexOf(name) : ORDER.length);
  const written = [...tags].filter(([, value]) => value !== undefined).sort(([a], [b]) => place(a) - place(b));
  return ok(["v=DMARC1", ...written.map(([name, value]) => `${name}=${value}`)].join("; "));
}
