import { z } from "zod";
import { dkimVerifySchema } from "../../app/mail/dkim-verify.ts";
import { type View } from "../view.ts";
import { wrap } from "../index.ts";
import { dkimLine } from "../../app/messages/open.ts";

/** The result of {@link dkimVerify} for people. */
export function dkimVerifyText({ dkim }: z.output<typeof dkimVerifySchema>, { style, width }: View): string {
    if (dkim.length === 0) return "The message has no DKIM signature.\n";
    return `${dkim.map((one) => wrap(dkimLine(one, style), width, "  ")).join("\n")}\n`;
  }

