import type { WireClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

const BROKEN: Readonly<Record<WireClauses["wire-broken"]["what"], string>> = {
  "name-breaks-off": "a name breaks off",
  "pointer-breaks-off": "a compression pointer breaks off",
  "pointer-forward": "a compression pointer does not lead backwards",
  "label-kind": "a label has an unknown kind",
  "label-breaks-off": "a label breaks off",
  "name-too-long": "a name is longer than 255 octets",
  "types-out-of-order": "the bits of the record types are out of order",
  "record-breaks-off": "a record breaks off",
  "tsig-class": "a TSIG record of another class or with a TTL",
  "tsig-length": "a TSIG record of another length than it says",
};

export const WIRE: WordsOf<WireClauses> = {
  "wire-broken": ({ what }) => BROKEN[what],
  "wire-ends": ({ octet }) => `the message breaks off at octet ${octet}`,
  "wire-too-many": ({ octets }) => `${octets} octets too many in a record`,
};
