import type * as z from "zod";
import type { dkimShape } from "../../app/messages/open.ts";
import { inWords } from "../clauses/index.ts";
import { type Style, visible } from "../index.ts";
/** A result word in its colour, and the mark that goes with it. */
export function painted(result: string, style: Style): string {
  const [mark, paint] =
    result === "pass"
      ? ["✓", style.good]
      : result === "none" || result === "neutral"
        ? ["○", style.careful]
        : result === "temperror" || result === "unknown"
          ? ["?", style.careful]
          : ["✗", style.bad];
  return paint(`${mark} ${result}`);
}

/** One signature in a line for people; `alignment` says how it relates to From, where that is known. */
export function dkimLine(one: z.output<typeof dkimShape>, style: Style, alignment = ""): string {
  const who =
    one.domain === null ? "a signature" : `${visible(one.domain.replace(/\.$/, ""))}, selector ${visible(one.selector ?? "?")}`;
  const size = one.bits === null ? "" : ` ${one.bits} bits`;
  const how = one.algorithm === null ? "" : ` (${visible(one.algorithm)}${size}${one.testing ? ", key in test mode" : ""})`;
  return `${painted(one.result, style)}  ${who}${how}${alignment}${one.because === null ? "" : `: ${visible(inWords(one.because))}`}`;
}
