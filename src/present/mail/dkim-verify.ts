import type * as z from "zod";
import type { dkimVerifySchema } from "../../app/mail/dkim-verify.ts";
import { wrap } from "../index.ts";
import type { Layout } from "../layout.ts";
import { dkimLine } from "../messages/signature.ts";

/** The result of {@link dkimVerify} for people. */
export function dkimVerifyText({ dkim }: z.output<typeof dkimVerifySchema>, { style, width }: Layout): string {
  if (dkim.length === 0) return "The message has no DKIM signature.\n";
  return `${dkim.map((one) => wrap(dkimLine(one, style), width, "  ")).join("\n")}\n`;
}
