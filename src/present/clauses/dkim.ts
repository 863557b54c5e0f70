import type { Clause } from "../../core/clause/index.ts";
import { type DomainName, displayName } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { Words } from "./words.ts";

export const DKIM = {
  "dkim-at": ({ where, because }: { readonly where: string; readonly because: Clause }, say) => `at ${where}, ${say(because)}`,
  "dkim-besides": ({ because, besides }: { readonly because: Clause; readonly besides: Clause }, say) =>
    `${say(because)}; and ${say(besides)}`,
  /** `at` in seconds since 1970. */
  "dkim-expired": ({ at }: { readonly at: number }) =>
    `it expired on ${new Date(at * 1000).toISOString().slice(0, 16).replace("T", " ")} UTC`,
  "dkim-lines-added": ({ added }: { readonly added: number }) =>
    `${added === 1 ? "1 line was" : `${added} lines were`} added at the end of the body after it was signed, as mailing lists and gateways do; without ${added === 1 ? "it" : "them"} the body is as it was signed`,
  "dkim-field-changed-unknown": ({ fields }: { readonly fields: readonly string[] }) =>
    `one of the signed fields was changed: ${listOf(fields)}`,
  "dkim-key-cut": ({ said, octets }: { readonly said: number; readonly octets: number }) =>
    `the key says it has ${said} octets, and only ${octets} are there: about ${Math.ceil(((said - octets) * 4) / 3)} characters are lost`,
  "dkim-key-too-long": ({ said, octets }: { readonly said: number; readonly octets: number }) =>
    `the key says it has ${said} octets, and ${octets} are there: something was doubled or added`,
  "dkim-ed25519-length": ({ octets }: { readonly octets: number }) => `an Ed25519 key has 32 octets, this one has ${octets}`,
  "dkim-key-empty": "the key is empty: it was revoked",
  "dkim-key-quotes": "there are quotation marks or backslashes inside the key",
  "dkim-key-character": ({ wrong }: { readonly wrong: string }) => `the character “${wrong}” does not belong in a key`,
  "dkim-key-not-rsa": "what is behind p= is not an RSA public key",
  "dkim-key-weak": ({ bits, least }: { readonly bits: number; readonly least: number }) =>
    `the key has ${bits} bits; receivers accept none below ${least}`,
  "dkim-key-none": "the text there is no DKIM key",
  "dkim-key-unreadable": ({ text, message }: { readonly text: string; readonly message: Clause }, say) =>
    `the record cannot be read at “${text}”: ${say(message)}`,
  "dkim-key-version-first": "v=DKIM1 must come first",
  "dkim-key-version": ({ version }: { readonly version: string }) => `the version is “${version}” and not DKIM1`,
  "dkim-key-type": ({ type }: { readonly type: string }) => `there is no key type “${type}”`,
  "dkim-key-missing": "the tag p= with the key is missing",
  "dkim-key-doubled": ({ octets }: { readonly octets: number }) =>
    `${octets} characters stand twice where the text was split into strings`,
  "dkim-no-record": ({ name }: { readonly name: DomainName }) => `there is no record at ${displayName(name)}`,
  "dkim-alias-nowhere": ({ alias }: { readonly alias: DomainName }) =>
    `the alias leads to ${displayName(alias)}, where there is no key: the service has not put it there, or the target is mistyped`,
  "dkim-several-records": ({ keys }: { readonly keys: number }) =>
    `${keys} records are there, and receivers may take any of them`,
  "dkim-by-wildcard": ({ wildcard }: { readonly wildcard: DomainName }) =>
    `the wildcard ${displayName(wildcard)} answers, there is no record of its own`,
  "dkim-testing": "t=y says that DKIM is in test mode; some receivers ignore such signatures",
  "dkim-no-sha256": "h= does not allow SHA-256, and receivers accept nothing else",
  "dkim-not-for-mail": "s= does not allow mail",
  "dkim-key-small": ({ bits, good }: { readonly bits: number; readonly good: number }) =>
    `the key has ${bits} bits; ${good} are the size to use today`,
  "dkim-key-large": ({ bits, most }: { readonly bits: number; readonly most: number }) =>
    `the key has ${bits} bits; some receivers do not check keys above ${most}`,
  "dkim-other-key": "the key published there does not belong to the private key in the workspace",
  "dkim-signature-unreadable": ({ text, message }: { readonly text: string; readonly message: Clause }, say) =>
    `the signature cannot be read at “${text}”: ${say(message)}`,
  "dkim-signature-no-version": "the version v=1 is missing",
  "dkim-signature-version": "its version is not 1",
  "dkim-signature-tag-missing": ({ needed }: { readonly needed: string }) => `the tag ${needed}= is missing`,
  "dkim-signature-algorithm": ({ algorithm }: { readonly algorithm: string }) => `there is no algorithm “${algorithm}”`,
  "dkim-signature-b": "the signature b= is not base64",
  "dkim-signature-bh": "the hash of the body bh= is not base64",
  "dkim-signature-d": "d= is not a domain",
  "dkim-signature-s": "s= is not a selector",
  "dkim-signature-c": "c= names no canonicalization that exists",
  "dkim-signature-h": "h= is not a list of field names",
  "dkim-signature-no-from": "the From field is not signed",
  "dkim-signature-i": "i= is not an address",
  "dkim-signature-i-apart": "i= is not at or below d=",
  "dkim-signature-q": "q= asks for the key in a way that does not exist",
  "dkim-signature-number": ({ tag }: { readonly tag: string }) => `${tag}= is not a number`,
  "dkim-signature-expires-before": "it expires before it was made",
  "dkim-header-or-key": "a signed header field was changed, or another key made the signature",
  "dkim-key-did-not-sign": "the key published there did not make this signature",
  "dkim-field-added": ({ name }: { readonly name: string | undefined }) =>
    `the field ${name} was added after the signature was made`,
  "dkim-field-changed": ({ name }: { readonly name: string | undefined }) =>
    `the field ${name} was changed after the signature was made`,
  "dkim-field-another": ({ name }: { readonly name: string | undefined }) =>
    `another ${name} was added after the signature was made`,
  "dkim-header-spaces": "spaces or line breaks of the header were changed, or its canonicalization is named wrongly",
  "dkim-key-other-algorithm": ({
    type,
    algorithm,
  }: {
    readonly type: "rsa" | "ed25519";
    readonly algorithm: "rsa-sha1" | "rsa-sha256" | "ed25519-sha256";
  }) => `the key is for ${type}, and the signature is made with ${algorithm}`,
  "dkim-key-not-sha256": "the key may not be used with SHA-256",
  "dkim-key-not-mail": "the key is not for mail",
  "dkim-key-exact-domain": "the key wants i= to have the very domain of d=",
  "dkim-key-revoked": ({ where }: { readonly where: string }) => `the key at ${where} was revoked`,
  "dkim-sha1": "it is made with rsa-sha1, which receivers no longer accept",
  "dkim-body-cut": ({ signature, body }: { readonly signature: number; readonly body: number }) =>
    `it covers ${signature} octets of the body, and only ${body} arrived`,
  "dkim-body-changed": "the body was changed after it was signed",
  "dkim-key-unresolved": ({ detail }: { readonly detail: Clause }, say) => `its key could not be asked for: ${say(detail)}`,
  "dkim-key-not-there": ({ keyName }: { readonly keyName: DomainName }) => `there is no key at ${displayName(keyName)}`,
  "dkim-unsigned-octets": ({ unsignedOctets }: { readonly unsignedOctets: number }) =>
    `${unsignedOctets} octets at the end of the body are not signed, and anybody may have added them`,
  "dkim-canonicalization-misnamed": ({
    otherHow,
    body,
  }: {
    readonly otherHow: "simple" | "relaxed";
    readonly body: "simple" | "relaxed";
  }) =>
    `the body fits if it is read as “${otherHow}”, and the signature says “${body}”: the signer names its canonicalization wrongly`,
  "dkim-rotate-publish": ({ newSelector }: { readonly newSelector: string }) => `publish the new key at ${newSelector}`,
  "dkim-rotate-publish-why": "a signature can only be checked with a key that can be found",
  "dkim-rotate-settle": "wait until everybody can see it",
  "dkim-rotate-settle-why": "receivers that asked before it was there remember “no such key” for a while",
  "dkim-rotate-switch": ({ newSelector }: { readonly newSelector: string }) => `sign with ${newSelector} from now on`,
  "dkim-rotate-switch-why": "both keys can be found, so that mail signed with either passes",
  "dkim-rotate-keep": ({ oldSelector }: { readonly oldSelector: string }) => `leave ${oldSelector} as it is`,
  "dkim-rotate-keep-why": ({ days }: { readonly days: number }) =>
    `mail that was signed with it may be on its way for up to ${days} days`,
  "dkim-rotate-revoke": ({ oldSelector }: { readonly oldSelector: string }) => `publish ${oldSelector} with an empty key`,
  "dkim-rotate-revoke-why": "a stolen old private key is useless then, and everyone sees that this is intended",
  "dkim-rotate-remove": ({ oldSelector }: { readonly oldSelector: string }) =>
    `take ${oldSelector} out of the DNS and delete its private key`,
  "dkim-rotate-remove-why": "nobody asks for it any more",
  "dkim-sign-key-type": "the key is neither RSA nor Ed25519",
  "dkim-sign-key-small": "the RSA key has fewer than 1024 bits, and no receiver accepts it",
  "dkim-sign-selector": "the selector is made of letters, digits, hyphens and dots",
  "dkim-sign-domain": "the signing domain has characters that no domain in mail has",
  "dkim-sign-fields": "the fields to sign are names without colons, semicolons and white space",
  "dkim-sign-from": "the From field must be among those signed",
  "dkim-sign-expires": "the signature would expire before it is made",
  "dkim-sign-identity": "the identity must be an address at or below the signing domain",
  "dkim-signed-with-new": ({ from, to }: { readonly from: string; readonly to: string }) =>
    `mail is signed with ${to}, and ${from} is no longer needed`,
  "dkim-replaced-by": ({ to }: { readonly to: string }) => `its key was replaced by ${to}`,
} satisfies Words;
