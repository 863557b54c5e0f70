import { isKeyText, readKeyRecord } from "../../dkim/index.ts";
import { isDmarc } from "../../dmarc/index.ts";
import { isSpf } from "../../spf/index.ts";
import { textsIn } from "../facts.ts";
import { rule, when } from "../finding.ts";

export const wildcard = {
  "wildcard-address": rule("note", "RFC 4592 section 2.1", ({ anyA }) =>
    when(anyA.data.length > 0 && anyA.answer.chain.length === 0, { addresses: anyA.data.map((one) => one.address) }),
  ),
  "wildcard-alias": rule("risks", "RFC 4592 section 4.3", ({ anyTxt, anyA }) => {
    const target = (anyTxt.answer.chain[0] ?? anyA.answer.chain[0])?.data[0]?.target;
    return target === undefined ? [] : when(true, { target });
  }),
  "wildcard-text": rule("risks", "RFC 4592 section 2.1", ({ anyTxt }) =>
    when(anyTxt.data.length > 0 && anyTxt.answer.chain.length === 0, { text: textsIn(anyTxt)[0] ?? "" }),
  ),
  "wildcard-spf": rule("untidy", "RFC 7208 section 3.5", ({ anyTxt }) =>
    textsIn(anyTxt)
      .filter(isSpf)
      .map((text) => ({ text })),
  ),
  "wildcard-mail": rule("risks", "RFC 4592 section 2.1", ({ anyMx }) =>
    when(
      anyMx.data.some((candidate) => candidate.exchange !== "."),
      { exchanges: anyMx.data.map((one) => one.exchange) },
    ),
  ),
  "wildcard-key": rule("risks", "RFC 6376 section 3.6.2", ({ anyKey, sends }) =>
    textsIn(anyKey)
      .filter((text) => sends && !(isKeyText(text) && readKeyRecord([text]).problem?.kind === "revoked"))
      .map((text) => ({ text })),
  ),
  "wildcard-dmarc": rule("untidy", "RFC 7489 section 6.6.3", ({ anyDmarc, anyTxt }) =>
    when(anyDmarc.data.length > 0 && anyTxt.data.length > 0, {
      text: textsIn(anyDmarc).find((text) => !isDmarc(text)) ?? textsIn(anyDmarc)[0] ?? "",
    }),
  ),
} as const;
