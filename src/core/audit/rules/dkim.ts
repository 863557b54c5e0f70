import type { KeyRemark } from "../../dkim/index.ts";
import { displayName } from "../../name/index.ts";
import type { Facts } from "../facts.ts";
import { rulesOf, type Seen, when } from "../finding.ts";

/** A finding for every selector about which one of these is said. */
const said =
  (kinds: readonly KeyRemark["kind"][], remedy: string) =>
  ({ keys }: Facts): Seen[] =>
    keys.flatMap(({ selector, remarks }) =>
      remarks.filter((one) => kinds.includes(one.kind)).map((one) => ({ evidence: `${selector}: ${one.because}`, remedy })),
    );

export const dkim = rulesOf("dkim", [
  [
    "dkim-none",
    "risks",
    "RFC 6376 section 3.6",
    "No DKIM key was found",
    "Mail is not signed, as far as can be seen; newsletters are refused by many receivers then.",
    ({ keys, sends, plain, unresolved, anyKey }) =>
      when(
        sends &&
          !keys.some((one) => one.key !== undefined) &&
          anyKey.data.length === 0 &&
          !unresolved.some((one) => one.name.includes("._domainkey.")),
        `no known or usual selector of ${plain} holds a key`,
        "enter the keys your mail services ask for; if they are there, name the selector with --selector",
      ),
  ],
  [
    "dkim-missing",
    "breaks",
    "RFC 6376 section 6.1.2",
    "A DKIM key that is wanted is not there",
    "Mail signed with this selector fails.",
    said(["absent"], "zandrel publish brings it; zandrel prove says where it went"),
  ],
  [
    "dkim-alias-nowhere",
    "breaks",
    "RFC 6376 section 6.1.2",
    "A DKIM alias leads to no key",
    "Mail signed with this selector fails.",
    said(["alias-leads-nowhere"], "compare the target letter by letter with what the service shows, and press its verify button"),
  ],
  [
    "dkim-cut",
    "breaks",
    "RFC 6376 section 3.6.1",
    "A DKIM key is cut",
    "Mail signed with this selector fails.",
    said(["cut"], "enter the whole key again; where the form takes 255 characters only, enter it in several quoted pieces"),
  ],
  [
    "dkim-doubled",
    "breaks",
    "RFC 6376 section 3.6.2.2",
    "A DKIM key has characters twice",
    "Mail signed with this selector fails.",
    said(["doubled", "too-long"], "enter the key again; the pieces must follow each other without overlap"),
  ],
  [
    "dkim-quotes",
    "breaks",
    "RFC 6376 section 3.6.1",
    "A DKIM key contains quotation marks",
    "Mail signed with this selector fails.",
    said(["quotes"], "enter the key without the quotation marks"),
  ],
  [
    "dkim-garbled",
    "breaks",
    "RFC 6376 section 3.6.1",
    "A DKIM key cannot be read",
    "Mail signed with this selector fails.",
    said(["not-base64", "not-a-key", "no-key"], "copy the key again from the service's page"),
  ],
  [
    "dkim-not-a-key",
    "breaks",
    "RFC 6376 section 3.6.1",
    "Something else is where a DKIM key should be",
    "Mail signed with this selector fails.",
    said(["not-a-key-record", "version", "key-type"], "replace it by the record the service shows"),
  ],
  [
    "dkim-weak",
    "breaks",
    "RFC 8301 section 3.2",
    "A DKIM key is so short that receivers refuse it",
    "Mail signed with this selector fails.",
    said(["weak"], "make a new one: zandrel dkim rotate"),
  ],
  [
    "dkim-small",
    "risks",
    "RFC 8301 section 3.2",
    "A DKIM key is shorter than it should be today",
    "It can be broken with enough computers, and then anybody signs as you.",
    said(["small"], "make a new one of 2048 bits: zandrel dkim rotate"),
  ],
  [
    "dkim-large",
    "untidy",
    "RFC 6376 section 3.3.3",
    "A DKIM key is longer than receivers have to take",
    "Some do not check it, and some networks lose the answer.",
    said(["large"], "2048 bits are enough"),
  ],
  [
    "dkim-several",
    "breaks",
    "RFC 6376 section 3.6.2.2",
    "There are several records at one selector",
    "Receivers may take any of them, so that mail passes by chance.",
    said(["several-records"], "leave the one that belongs to the signing key"),
  ],
  [
    "dkim-testing",
    "untidy",
    "RFC 6376 section 3.6.1",
    "A DKIM key says that it is only tried out",
    "Some receivers treat the mail as if it were not signed.",
    said(["testing"], "take t=y out of the record once signing works"),
  ],
  [
    "dkim-hashes",
    "breaks",
    "RFC 8301 section 3.1",
    "A DKIM key does not allow the only hash that counts",
    "Mail signed with this selector fails.",
    said(["wrong-hashes"], "take h= out of the record"),
  ],
  [
    "dkim-not-mail",
    "breaks",
    "RFC 6376 section 3.6.1",
    "A DKIM key is not for mail",
    "Mail signed with this selector fails.",
    said(["not-for-mail"], "take s= out of the record"),
  ],
  [
    "dkim-other-key",
    "breaks",
    "RFC 6376 section 6.1.2",
    "A DKIM key does not belong to the private key here",
    "Mail that is signed with the private key of the workspace fails.",
    said(["other-key"], "publish the key that belongs to it, or remove the private key that is no longer used"),
  ],
  [
    "dkim-revoked",
    "note",
    "RFC 6376 section 3.6.1",
    "A DKIM key was revoked",
    "That is right after a rotation; mail still signed with it fails.",
    ({ keys }) =>
      keys.flatMap(({ selector, key }) =>
        when(key?.problem?.kind === "revoked", `${selector}: the key is empty`, "remove it once nobody asks for it any more"),
      ),
  ],
  [
    "dkim-by-wildcard",
    "untidy",
    "RFC 4592 section 2.1",
    "A DKIM key is there by a wildcard only",
    "It answers for every selector, so that nothing is proven by it.",
    said(["wildcard"], "enter the key at the selector itself"),
  ],
  [
    "dkim-one-selector",
    "note",
    "RFC 6376 section 3.1",
    "Only one DKIM key is there",
    "A stolen or expired key cannot be replaced without a gap.",
    ({ keys, sends }) => {
      const usable = keys.filter((one) => one.state === "usable");
      return when(
        sends && usable.length === 1 && usable[0]?.alias === undefined,
        `only ${usable[0]?.selector} holds a key`,
        "zandrel dkim rotate prepares a second one",
      );
    },
  ],
  [
    "dkim-open-file",
    "risks",
    "RFC 6376 section 8.2",
    "A private key can be read by others on this machine",
    "Anyone who reads it can sign as you.",
    ({ openKeyFiles }) =>
      openKeyFiles.map((path) => ({
        evidence: path,
        remedy: `chmod 600 ${path}, and replace the key if others use this machine`,
      })),
  ],
  [
    "dkim-alias-foreign",
    "note",
    "RFC 6376 section 3.6.2.1",
    "A DKIM key is kept by a service",
    "The service replaces it by itself; when you leave the service, the alias has to go.",
    ({ keys, domain }) =>
      keys.flatMap(({ selector, alias, state }) =>
        alias === undefined || state !== "usable" || alias.endsWith(`.${domain}`)
          ? []
          : [
              {
                evidence: `${selector} leads to ${displayName(alias)}`,
                remedy: "nothing has to be done while the service is used",
              },
            ],
      ),
  ],
]);
