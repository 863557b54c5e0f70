import type { Purpose } from "../ask/index.ts";
import { type DomainName, withoutRootDot } from "../name/index.ts";
import { octetsOf, printData, type ResourceRecord } from "../record/index.ts";
import { readRecords } from "../zone/index.ts";
import type { Kit } from "./kit.ts";

/** What takes the place of a blank while the lines of a kit are read as records. */
const STAND_IN = "zzblankzz";

const pattern = (text: string): RegExp =>
  new RegExp(
    `^${text
      .toLowerCase()
      .replace(/[.*+?^${}()|[\]\\]/g, "\\$&")
      .replaceAll(STAND_IN, ".{1,1000}")}$`,
    "s",
  );

/** A record as one text: its name, type and data, character strings joined. */
const textOf = ({ name, type, data }: ResourceRecord): string =>
  `${name} ${type} ${"strings" in data ? data.strings.join("") : printData(type, data)}`.toLowerCase();

/**
 * The ask of a kit that some records fill in: every one of them is a line of it, whatever fills its blanks. Records of
 * another service never match, because the lines of a kit name its own hosts and words.
 */
export function askOfKit(
  kit: Kit,
  domain: DomainName,
  records: readonly ResourceRecord[],
): { readonly id: string; readonly purpose: Purpose; readonly after: readonly string[] } | undefined {
  return kit.asks.find((ask) => {
    const lines = ask.records.replace(/\{([a-z0-9-]+)\}/g, (_, blank: string) =>
      blank === "domain" || blank === "fqdn" ? withoutRootDot(domain) : STAND_IN,
    );
    const patterns = readRecords(octetsOf(lines), { origin: domain, ttl: 0 }).records.map((record) => pattern(textOf(record)));
    return (
      records.length > 0 && patterns.length > 0 && records.every((record) => patterns.some((line) => line.test(textOf(record))))
    );
  });
}
