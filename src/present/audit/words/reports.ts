import { displayName } from "../../../core/name/index.ts";
import { spanText } from "../../../core/spread/index.ts";
import type { AreaWords } from "../say.ts";

export const REPORTS: AreaWords<"reports"> = {
  "report-no-consent": {
    title: "The receiver of reports has not agreed to take them",
    why: "Nobody sends reports there.",
    evidence: ({ at, destination }) => `${displayName(destination)} has nothing at ${displayName(at)}`,
    remedy: () => `ask its owner to publish there: TXT "v=DMARC1;"`,
  },
  "report-no-mail": {
    title: "The domain reports go to takes no mail",
    why: "The reports come back or are lost.",
    evidence: ({ destination }) => `${displayName(destination)} has no mail server`,
    remedy: "name an address that is read",
  },
  "report-not-mail": {
    title: "Reports are wanted by another way than mail",
    why: "Receivers send them by mail only.",
    evidence: ({ uri }) => uri,
    remedy: "write mailto: and an address",
  },
  "report-small": {
    title: "Reports are only wanted if they are small",
    why: "On a busy day none arrives.",
    evidence: ({ uri }) => uri,
    remedy: "take the limit out, or set it to 10m or more",
  },
  "report-many": {
    title: "Reports go to many addresses",
    why: "Receivers serve the first two and may pass over the rest.",
    evidence: ({ addresses }) => `${addresses} addresses`,
    remedy: "leave two",
  },
  "report-failures": {
    title: "Reports on single messages are wanted",
    why: "Few receivers send them, and they contain parts of people's mail: the address needs the same care as a mailbox.",
    evidence: ({ uris }) => uris.join(", "),
    remedy: "take ruf= out unless somebody reads them",
  },
  "report-interval": {
    title: "Reports are wanted at another interval than daily",
    why: "Receivers send them daily whatever ri= says.",
    evidence: ({ interval }) => `ri=${interval}, every ${spanText(interval)}`,
    remedy: "take ri= out",
  },
};
