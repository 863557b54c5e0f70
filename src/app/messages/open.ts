import { resolve } from "node:path";
import * as z from "zod";
import type { DkimVerdict } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import type { Lookup } from "../../core/lookup/index.ts";
import { memoized } from "../../core/lookup/index.ts";
import { findWorkspace, openMessages, openWorkspace, type Stored, type StoredMessage, spool } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";
import { type Ended, onlyOperand } from "../context.ts";
import { type DnsRequest, openDns } from "../dns/context.ts";
import { sentence } from "../shapes.ts";

/** What a message is called that came through standard input. */
export const STANDARD_INPUT = "standard input";

export const dkimShape = z.object({
  result: z.enum(["pass", "fail", "policy", "neutral", "temperror", "permerror"]),
  domain: z.string().nullable().describe("the signing domain, absolute"),
  selector: z.string().nullable(),
  reason: z.string().nullable().describe("a stable word for why it does not pass"),
  because: sentence.nullable().describe("the same for people"),
  algorithm: z.string().nullable(),
  bits: z.number().nullable().describe("size of an RSA key"),
  identity: z.string().nullable(),
  testing: z.boolean().describe("whether the key says that DKIM is in test mode"),
  unsignedOctets: z.number().describe("octets of the body behind what is signed"),
});

export const dkimJson = (dkimVerdict: DkimVerdict): z.output<typeof dkimShape> => ({
  result: dkimVerdict.result,
  domain: dkimVerdict.domain ?? null,
  selector: dkimVerdict.selector ?? null,
  reason: dkimVerdict.reason ?? null,
  because: dkimVerdict.because ?? null,
  algorithm: dkimVerdict.algorithm ?? null,
  bits: dkimVerdict.bits ?? null,
  identity: dkimVerdict.identity ?? null,
  testing: dkimVerdict.testing,
  unsignedOctets: dkimVerdict.unsignedOctets,
});

export const endedOf = (results: readonly string[]): Ended =>
  results.includes("pass") ? "fine" : results.includes("temperror") ? "undetermined" : "problem";

/** Operands and eyes of a command that reads messages; standard input is kept in a file meanwhile. */
export async function withMessages<T>(
  request: CommonRequest & DnsRequest,
  context: AppContext,
  work: (stored: Stored, lookup: Lookup, now: number) => Promise<T>,
): Promise<T> {
  const operand = onlyOperand(request);
  const folder = findWorkspace(context.cwd, request.workspace);
  const settings = folder === undefined ? undefined : openWorkspace(context.cwd, folder).settings;
  const spooled = operand === "-" ? await spool(context.input()) : undefined;
  const dns = openDns(request, context, settings, []);
  try {
    const stored =
      spooled === undefined ? openMessages(resolve(context.cwd, operand), operand) : openMessages(spooled.path, STANDARD_INPUT);
    return await work(stored, memoized(dns.world), Math.floor(dns.now / 1000));
  } finally {
    dns.close();
    spooled?.close();
  }
}

/** The only message of a file, for commands that take one. */
export function oneMessage(stored: Stored): StoredMessage {
  if (stored.kind === "message") return stored.message;
  throw new Failure("is-a-mailbox", {});
}
