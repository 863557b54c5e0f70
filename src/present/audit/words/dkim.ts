import { displayName } from "../../../core/name/index.ts";
import { inWords } from "../../clauses/index.ts";
import type { AreaWords } from "../say.ts";

export const DKIM: AreaWords<"dkim"> = {
  "dkim-none": {
    title: "No DKIM key was found",
    why: "Mail is not signed, as far as can be seen; newsletters are refused by many receivers then.",
    evidence: (_, { plain }) => `no known or usual selector of ${plain} holds a key`,
    remedy: "enter the keys your mail services ask for; if they are there, name the selector with --selector",
  },
  "dkim-missing": {
    title: "A DKIM key that is wanted is not there",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "zandrel publish brings it; zandrel prove says where it went",
  },
  "dkim-alias-nowhere": {
    title: "A DKIM alias leads to no key",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "compare the target letter by letter with what the service shows, and press its verify button",
  },
  "dkim-cut": {
    title: "A DKIM key is cut",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "enter the whole key again; where the form takes 255 characters only, enter it in several quoted pieces",
  },
  "dkim-doubled": {
    title: "A DKIM key has characters twice",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "enter the key again; the pieces must follow each other without overlap",
  },
  "dkim-quotes": {
    title: "A DKIM key contains quotation marks",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "enter the key without the quotation marks",
  },
  "dkim-garbled": {
    title: "A DKIM key cannot be read",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "copy the key again from the service's page",
  },
  "dkim-not-a-key": {
    title: "Something else is where a DKIM key should be",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "replace it by the record the service shows",
  },
  "dkim-weak": {
    title: "A DKIM key is so short that receivers refuse it",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "make a new one: zandrel dkim rotate",
  },
  "dkim-small": {
    title: "A DKIM key is shorter than it should be today",
    why: "It can be broken with enough computers, and then anybody signs as you.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "make a new one of 2048 bits: zandrel dkim rotate",
  },
  "dkim-large": {
    title: "A DKIM key is longer than receivers have to take",
    why: "Some do not check it, and some networks lose the answer.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "2048 bits are enough",
  },
  "dkim-several": {
    title: "There are several records at one selector",
    why: "Receivers may take any of them, so that mail passes by chance.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "leave the one that belongs to the signing key",
  },
  "dkim-testing": {
    title: "A DKIM key says that it is in test mode",
    why: "Some receivers treat the mail as if it were not signed.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "take t=y out of the record once signing works",
  },
  "dkim-hashes": {
    title: "A DKIM key does not allow the only hash that counts",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "take h= out of the record",
  },
  "dkim-not-mail": {
    title: "A DKIM key is not for mail",
    why: "Mail signed with this selector fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "take s= out of the record",
  },
  "dkim-other-key": {
    title: "A DKIM key does not belong to the private key here",
    why: "Mail that is signed with the private key of the workspace fails.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "publish the key that belongs to it, or remove the private key that is no longer used",
  },
  "dkim-revoked": {
    title: "A DKIM key was revoked",
    why: "That is right after a rotation; mail still signed with it fails.",
    evidence: ({ selector }) => `${selector}: the key is empty`,
    remedy: "remove it once nobody asks for it any more",
  },
  "dkim-by-wildcard": {
    title: "A DKIM key is there by a wildcard only",
    why: "It answers for every selector, so that nothing is proven by it.",
    evidence: ({ because, selector }) => `${selector}: ${inWords(because)}`,
    remedy: "enter the key at the selector itself",
  },
  "dkim-one-selector": {
    title: "Only one DKIM key is there",
    why: "A stolen or expired key cannot be replaced without a gap.",
    evidence: ({ selector }) => `only ${selector} holds a key`,
    remedy: "zandrel dkim rotate prepares a second one",
  },
  "dkim-open-file": {
    title: "A private key can be read by others on this machine",
    why: "Anyone who reads it can sign as you.",
    evidence: ({ path }) => path,
    remedy: ({ path }) => `chmod 600 ${path}, and replace the key if others use this machine`,
  },
  "dkim-alias-foreign": {
    title: "A DKIM key is kept by a service",
    why: "The service replaces it by itself; when you leave the service, the alias has to go.",
    evidence: ({ alias, selector }) => `${selector} leads to ${displayName(alias)}`,
    remedy: "nothing has to be done while the service is used",
  },
};
