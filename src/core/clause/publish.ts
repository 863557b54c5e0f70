import type { DomainName } from "../name/index.ts";
import type { Clause } from "./index.ts";
import type { Nothing } from "./nothing.ts";

/** Where a publication went, and whether it is entered by hand. */
interface Went {
  readonly to: string;
  readonly byHand: boolean;
}

/** What is said of publications, and of what became of them. */
export interface PublishClauses {
  "publish-shown-otherwise": { readonly differences: readonly string[] };
  "publish-late": { readonly to: string };
  "publish-arrived-late": Nothing;
  "publish-unseen": Went & { readonly unseen: Clause | undefined };
  "publish-sheet-entered": Went;
  "publish-arrived": Went;
  "publish-all-there": Nothing;
  "publish-sheet-partly": Went & { readonly done: number; readonly of: number };
  "publish-may-arrive": Went;
  "publish-none-there": Nothing;
  "publish-partly": { readonly done: number; readonly of: number; readonly differences: readonly string[] };
  "publish-broke-off": Went & { readonly because: Clause; readonly domain: DomainName };
  "publish-together": { readonly parts: readonly Clause[] };
  /** `some`: others came by themselves. */
  "publish-enter": { readonly title: string; readonly some: boolean };
  /** `reason`: what the helper said; empty where nothing. */
  "publish-moved": { readonly title: string; readonly reason: string };
  "publish-refused": { readonly title: string; readonly reason: string };
  "publish-only-part": { readonly title: string; readonly reason: string };
  "approve-not-approved": Nothing;
  "approve-host-says": { readonly error: string; readonly words: string | undefined };
  "approve-said": { readonly title: string; readonly because: Clause };
  "approve-came-unseen": { readonly title: string; readonly left: number; readonly of: number; readonly unseen: Clause };
  "approve-did-not-come": { readonly title: string; readonly left: number; readonly of: number };
  "approve-beside-unseen": { readonly unseen: Clause };
  "approve-also-changed": { readonly sets: readonly { readonly name: DomainName; readonly type: string }[] };
  "approve-came": { readonly done: number; readonly of: number };
  "approve-nobody-back": { readonly minutes: number };
  "approve-host-removes": Nothing;
  "approve-no-template": Nothing;
  "approve-none-taken": { readonly title: string; readonly because: Clause };
  "approve-not-offered": Nothing;
  "approve-no-host-name": Nothing;
  "approve-by-link-only": Nothing;
  "approve-other-host": { readonly written: string; readonly found: string };
  "approve-page-not-https": Nothing;
  "approve-came-not-back": Nothing;
  /** The grant is not good any more: a new one has to be given. */
  "approve-again": { readonly because: Clause; readonly host: string; readonly domain: DomainName };
  /** A grant that could not be taken back at its host. */
  "approve-kept": { readonly provider: string; readonly because: Clause };
  "approve-no-revocation": Nothing;
  "approve-no-page": { readonly title: string };
  "approve-grant-only": { readonly service: string };
  "approve-signed-links": { readonly provider: string };
  "approve-not-https": { readonly title: string };
  "approve-took-back": { readonly title: string };
  "approve-published": { readonly title: string };
  "approve-nobody-waits": { readonly title: string };
  "publish-one-update": { readonly title: string };
  "publish-file-moved": { readonly shown: string; readonly name: DomainName };
  "publish-file-included": {
    readonly type: string;
    readonly name: DomainName;
    readonly file: string;
    readonly shown: string;
  };
  "publish-file-included-mend": Nothing;
  "publish-file-signed": { readonly shown: string };
  "publish-file-signed-mend": Nothing;
  "publish-file-no-soa": { readonly shown: string };
  "publish-file-no-soa-mend": Nothing;
  "publish-file-serial": { readonly shown: string; readonly serial: number };
  "publish-run-status": Nothing;
  "publish-correct-command": Nothing;
  "publish-helper-done": { readonly title: string };
  "publish-see-helper": Nothing;
  "publish-no-ttl-to-lower": Nothing;
  "publish-already-there": Nothing;
}
