import type { Purpose } from "./ask.ts";

/** What an alias or address is for, where its own name shows it. */
const NAMED: readonly (readonly [RegExp, Purpose])[] = [
  [/^(?:_acme-challenge|_sb-|_ssl|_cert)/i, "certificate"],
  [/(?:^|[.-])(?:bounces?|return|rp)(?:$|[.-])/i, "bounce"],
  [/^(?:click|clicks|track|tracking|open|opens|links?|go)(?:$|[.-])/i, "tracking"],
  [/^(?:autodiscover|autoconfig|imap|pop|smtp)(?:$|[.-])/i, "mailbox"],
];

/** What an alias or address is for, by its own name or else by what it points to; undefined where neither shows it. */
export const purposeByName = (label: string, target: string): Purpose | undefined =>
  NAMED.find(([words]) => words.test(label))?.[1] ?? NAMED.find(([words]) => words.test(target))?.[1];
