import type { PackedClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

const UNREADABLE: Readonly<Record<string, string>> = {
  special: "it is a pipe or a device and no file",
  ENOENT: "it is a link that leads nowhere",
  ELOOP: "it is a link that leads in a circle",
  EACCES: "it may not be read",
};

export const PACKED: WordsOf<PackedClauses> = {
  "packed-checksum": "its checksum (CRC) is wrong, so that it was damaged on the way",
  "packed-zip-unreadable": ({ why }) => `the ZIP archive cannot be read${why === undefined ? "" : `: ${why}`}`,
  "packed-zip-empty": "the ZIP archive is empty",
  "packed-zip-too-many": ({ most }) => `the ZIP archive has more than ${most} files`,
  "packed-archive-inside": "an archive inside an archive is not a report",
  "packed-unknown": "it is neither XML nor gzip nor ZIP",
  "packed-mail-too-large": ({ most }) => `the mail is larger than ${most} MiB`,
  "packed-mail-unreadable": "the mail cannot be read",
  "packed-failure-report": "it is a failure report about a single message (ruf=), and no aggregate report",
  "packed-none-attached": "no report is attached to the mail",
  "packed-ring": "it is a link to a folder that holds it",
  "packed-unreadable": ({ code }) => UNREADABLE[code] ?? `it cannot be read (${code})`,
};
