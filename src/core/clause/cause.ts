import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** What is said of the reasons why a record is not found. */
export interface CauseClauses {
  "cause-other-policy": {
    readonly at: string;
    /** Tags with the value that is wanted, and the one that is there. */
    readonly differences: readonly { readonly tag: string; readonly is: string | undefined; readonly was: string | undefined }[];
  };
  "cause-value": { readonly text: string; readonly at: string; readonly because: Clause };
  "cause-broken-spf": { readonly at: string; readonly text: string; readonly message: Clause };
  "cause-some-servers-only": {
    readonly having: readonly string[];
    readonly lacking: readonly string[];
    /** Servers with an older version of the zone, and the newest version that any has. */
    readonly behind:
      | { readonly older: readonly { readonly name: string; readonly serial: number }[]; readonly newest: number }
      | undefined;
  };
  "cause-misplaced": {
    readonly kind: "name-doubled" | "at-apex" | "at-label";
    readonly at: DomainName;
    readonly wanted: DomainName;
  };
  /** `host` as a form wants it; `@` for the domain itself. */
  "cause-misplaced-mend": { readonly host: string };
  "cause-leftover-mend": {
    /** The DNS host by its title; undefined where none is named. */
    readonly host: string | undefined;
    readonly type: string;
    readonly entries: readonly { readonly host: string; readonly value: string }[];
  };
  "cause-options": { readonly options: readonly Clause[] };
  "cause-target-doubled": { readonly type: string; readonly at: string; readonly doubled: DomainName };
  "cause-target-doubled-mend": { readonly target: DomainName };
  "cause-target-is-url": { readonly type: string; readonly at: string; readonly url: DomainName };
  "cause-target-is-url-mend": { readonly target: DomainName };
  "cause-other-target": { readonly type: string; readonly at: string; readonly other: DomainName; readonly plain: string };
  "cause-other-target-mend": { readonly target: DomainName };
  "cause-quoted-twice": Nothing;
  "cause-quoted-twice-mend": Nothing;
  "cause-typographic": Nothing;
  "cause-typographic-mend": Nothing;
  "cause-white-space": Nothing;
  "cause-white-space-mend": Nothing;
  "cause-wrapped": { readonly character: number };
  "cause-wrapped-mend": Nothing;
  "cause-case-changed": { readonly character: number };
  "cause-case-changed-mend": Nothing;
  "cause-escaped": Nothing;
  "cause-escaped-mend": Nothing;
  "cause-html-entities": Nothing;
  "cause-html-entities-mend": Nothing;
  "cause-cut": { readonly seen: number; readonly wanted: number };
  "cause-cut-mend": Nothing;
  "cause-extra-text": Nothing;
  "cause-extra-text-mend": Nothing;
  "cause-other-token": Nothing;
  "cause-other-token-mend": Nothing;
  "cause-other-policy-mend": Nothing;
  "cause-split-records": { readonly parts: number; readonly at: string };
  "cause-split-records-mend": Nothing;
  "cause-second-spf": { readonly at: string; readonly spf: number };
  "cause-second-spf-mend": { readonly at: string };
  "cause-broken-spf-mend": Nothing;
  "cause-broken-spf-meant": { readonly meant: string };
  "cause-second-dmarc": { readonly at: string; readonly dmarc: number };
  "cause-second-dmarc-mend": Nothing;
  "cause-wrong-type": { readonly target: DomainName; readonly at: string };
  "cause-wrong-type-mend": Nothing;
  "cause-alias-in-the-way": { readonly at: string; readonly target: DomainName };
  "cause-alias-in-the-way-mend": Nothing;
  "cause-wildcard-answers": { readonly at: string; readonly wildcard: DomainName };
  "cause-wildcard-answers-mend": { readonly at: string };
  "cause-below-dname": { readonly above: string; readonly at: string; readonly to: string };
  "cause-below-dname-mend": { readonly to: string; readonly above: string };
  "cause-below-zone-cut": { readonly cut: string; readonly at: string; readonly apex: DomainName };
  "cause-below-zone-cut-mend": { readonly cut: string; readonly servers: readonly string[] };
  "cause-some-servers-only-mend": Nothing;
  "cause-not-delegated": { readonly title: string; readonly apex: DomainName };
  "cause-not-delegated-mend": { readonly apex: DomainName };
  "cause-other-zone": { readonly name: DomainName };
  "cause-other-zone-mend": { readonly name: DomainName };
}
