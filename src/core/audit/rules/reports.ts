import { permissionName } from "../../dmarc/index.ts";
import { displayName } from "../../name/index.ts";
import { spanText } from "../../spread/index.ts";
import { rulesOf, when } from "../finding.ts";

export const reports = rulesOf("reports", [
  [
    "report-no-consent",
    "risks",
    "RFC 7489 section 7.1",
    "The receiver of reports has not agreed to take them",
    "Nobody sends reports there.",
    ({ destinations, dmarc: found, domain }) =>
      destinations.flatMap(({ destination, permission }) =>
        when(
          permission === "missing",
          `${displayName(destination)} has nothing at ${displayName(permissionName(found.at ?? domain, destination) ?? destination)}`,
          `ask its owner to publish there: TXT "v=DMARC1;"`,
        ),
      ),
  ],
  [
    "report-no-mail",
    "risks",
    "RFC 7489 section 7.2",
    "The domain reports go to takes no mail",
    "The reports come back or are lost.",
    ({ destinations }) =>
      destinations.flatMap(({ destination, takesMail }) =>
        when(takesMail === false, `${displayName(destination)} has no mail server`, "name an address that is read"),
      ),
  ],
  [
    "report-not-mail",
    "untidy",
    "RFC 7489 section 6.2",
    "Reports are wanted by another way than mail",
    "Receivers send them by mail only.",
    ({ dmarcRecord }) =>
      [...(dmarcRecord?.aggregate ?? []), ...(dmarcRecord?.failure ?? [])]
        .filter((uri) => uri.address === undefined)
        .map((uri) => ({ evidence: uri.text, remedy: "write mailto: and an address" })),
  ],
  [
    "report-small",
    "untidy",
    "RFC 7489 section 6.2",
    "Reports are only wanted if they are small",
    "On a busy day none arrives.",
    ({ dmarcRecord }) =>
      [...(dmarcRecord?.aggregate ?? [])]
        .filter((uri) => uri.most !== undefined && uri.most < 1 << 20)
        .map((uri) => ({ evidence: uri.text, remedy: "take the limit out, or set it to 10m or more" })),
  ],
  [
    "report-many",
    "untidy",
    "RFC 7489 section 6.2",
    "Reports go to many addresses",
    "Receivers serve the first two and may pass over the rest.",
    ({ dmarcRecord }) =>
      when((dmarcRecord?.aggregate.length ?? 0) > 2, `${dmarcRecord?.aggregate.length} addresses`, "leave two"),
  ],
  [
    "report-failures",
    "note",
    "RFC 7489 section 7.3",
    "Reports on single messages are wanted",
    "Few receivers send them, and they contain parts of people's mail: the address needs the same care as a mailbox.",
    ({ dmarcRecord }) =>
      when(
        (dmarcRecord?.failure.length ?? 0) > 0,
        dmarcRecord?.failure.map((uri) => uri.text).join(", ") ?? "",
        "take ruf= out unless somebody reads them",
      ),
  ],
  [
    "report-interval",
    "untidy",
    "RFC 7489 section 6.3",
    "Reports are wanted at another interval than daily",
    "Receivers send them daily whatever ri= says.",
    ({ dmarcRecord }) =>
      when(
        dmarcRecord !== undefined && dmarcRecord.interval !== 86_400,
        `ri=${dmarcRecord?.interval}, every ${spanText(dmarcRecord?.interval ?? 0)}`,
        "take ri= out",
      ),
  ],
]);
