import { DAY } from "../../day.ts";
import { permissionName } from "../../dmarc/index.ts";
import { rule, when } from "../finding.ts";

export const reports = {
  "report-no-consent": rule("risks", "RFC 7489 section 7.1", ({ destinations, dmarc: found, domain }) =>
    destinations.flatMap(({ destination, permission }) =>
      when(permission === "missing", { destination, at: permissionName(found.at ?? domain, destination) ?? destination }),
    ),
  ),
  "report-no-mail": rule("risks", "RFC 7489 section 7.2", ({ destinations }) =>
    destinations.flatMap(({ destination, takesMail }) => when(takesMail === false, { destination })),
  ),
  "report-not-mail": rule("untidy", "RFC 7489 section 6.2", ({ dmarcRecord }) =>
    [...(dmarcRecord?.aggregate ?? []), ...(dmarcRecord?.failure ?? [])]
      .filter((uri) => uri.address === undefined)
      .map((uri) => ({ uri: uri.text })),
  ),
  "report-small": rule("untidy", "RFC 7489 section 6.2", ({ dmarcRecord }) =>
    [...(dmarcRecord?.aggregate ?? [])]
      .filter((uri) => uri.most !== undefined && uri.most < 1 << 20)
      .map((uri) => ({ uri: uri.text })),
  ),
  "report-many": rule("untidy", "RFC 7489 section 6.2", ({ dmarcRecord }) =>
    when((dmarcRecord?.aggregate.length ?? 0) > 2, { addresses: dmarcRecord?.aggregate.length }),
  ),
  "report-failures": rule("note", "RFC 7489 section 7.3", ({ dmarcRecord }) =>
    when((dmarcRecord?.failure.length ?? 0) > 0, { uris: dmarcRecord?.failure.map((uri) => uri.text) ?? [] }),
  ),
  "report-interval": rule("untidy", "RFC 7489 section 6.3", ({ dmarcRecord }) =>
    when(dmarcRecord !== undefined && dmarcRecord.interval !== DAY, { interval: dmarcRecord?.interval ?? 0 }),
  ),
} as const;
