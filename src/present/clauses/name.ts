import type { NameClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

/** Why a text is not a domain name, in words. */
export const NAME: WordsOf<NameClauses> = {
  "name-empty": "the name is empty",
  "name-starts-with-dot": "the name starts with a dot",
  "name-nothing-between-dots": "there is nothing between two dots",
  "name-dot-without-neighbour": "there is a dot with nothing beside it",
  "name-no-octet": ({ digits }) => `\\${digits} is not an octet; the highest is \\255`,
  "name-half-escape": "a backslash needs one character or three digits after it",
  "name-no-a-label": ({ label }) => `“${label}” cannot be written as an internationalized label`,
  "name-label-too-long": ({ most, octets }) => `a label may have ${most} octets, this one has ${octets}`,
  "name-too-long": ({ most, octets }) => `a name may have ${most} octets on the wire, this one has ${octets}`,
  "name-is-address": "it is an IP address",
  "name-one-part": "a registered domain has at least two parts, such as brackwater.example",
  "name-foreign-character": ({ character }) =>
    /\s/.test(character) ? "there is white space in it" : `“${character}” does not belong in a domain name`,
};
