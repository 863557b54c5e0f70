import type { Clause } from "../../clause/index.ts";
import type { KeyRemark } from "../../dkim/index.ts";
import type { Facts } from "../facts.ts";
import { rule, when } from "../finding.ts";

/** A sighting for every selector about which one of these is said. */
const said =
  (kinds: readonly KeyRemark["kind"][]) =>
  ({ keys }: Facts): { readonly selector: string; readonly because: Clause }[] =>
    keys.flatMap(({ selector, remarks }) =>
      remarks.filter((remark) => kinds.includes(remark.kind)).map(({ because }) => ({ selector, because })),
    );

export const dkim = {
  "dkim-none": rule("risks", "RFC 6376 section 3.6", ({ keys, sends, unresolved, anyKey }) =>
    when(
      sends &&
        !keys.some((selectorCheck) => selectorCheck.key !== undefined) &&
        anyKey.data.length === 0 &&
        !unresolved.some((candidate) => candidate.name.includes("._domainkey.")),
    ),
  ),
  "dkim-missing": rule("breaks", "RFC 6376 section 6.1.2", said(["absent"])),
  "dkim-alias-nowhere": rule("breaks", "RFC 6376 section 6.1.2", said(["alias-leads-nowhere"])),
  "dkim-cut": rule("breaks", "RFC 6376 section 3.6.1", said(["cut"])),
  "dkim-doubled": rule("breaks", "RFC 6376 section 3.6.2.2", said(["doubled", "too-long"])),
  "dkim-quotes": rule("breaks", "RFC 6376 section 3.6.1", said(["quotes"])),
  "dkim-garbled": rule("breaks", "RFC 6376 section 3.6.1", said(["not-base64", "not-a-key", "no-key"])),
  "dkim-not-a-key": rule("breaks", "RFC 6376 section 3.6.1", said(["not-a-key-record", "version", "key-type"])),
  "dkim-weak": rule("breaks", "RFC 8301 section 3.2", said(["weak"])),
  "dkim-small": rule("risks", "RFC 8301 section 3.2", said(["small"])),
  "dkim-large": rule("untidy", "RFC 6376 section 3.3.3", said(["large"])),
  "dkim-several": rule("breaks", "RFC 6376 section 3.6.2.2", said(["several-records"])),
  "dkim-testing": rule("untidy", "RFC 6376 section 3.6.1", said(["testing"])),
  "dkim-hashes": rule("breaks", "RFC 8301 section 3.1", said(["wrong-hashes"])),
  "dkim-not-mail": rule("breaks", "RFC 6376 section 3.6.1", said(["not-for-mail"])),
  "dkim-other-key": rule("breaks", "RFC 6376 section 6.1.2", said(["other-key"])),
  "dkim-revoked": rule("note", "RFC 6376 section 3.6.1", ({ keys }) =>
    keys.flatMap(({ selector, key }) => when(key?.problem?.kind === "revoked", { selector })),
  ),
  "dkim-by-wildcard": rule("untidy", "RFC 4592 section 2.1", said(["wildcard"])),
  "dkim-one-selector": rule("note", "RFC 6376 section 3.1", ({ keys, sends }) => {
    const usable = keys.filter((selectorCheck) => selectorCheck.state === "usable");
    return when(sends && usable.length === 1 && usable[0]?.alias === undefined, { selector: usable[0]?.selector ?? "" });
  }),
  "dkim-open-file": rule("risks", "RFC 6376 section 8.2", ({ openKeyFiles }) => openKeyFiles.map((path) => ({ path }))),
  "dkim-alias-foreign": rule("note", "RFC 6376 section 3.6.2.1", ({ keys, domain }) =>
    keys.flatMap(({ selector, alias, state }) =>
      alias === undefined || state !== "usable" || alias.endsWith(`.${domain}`) ? [] : [{ selector, alias }],
    ),
  ),
} as const;
