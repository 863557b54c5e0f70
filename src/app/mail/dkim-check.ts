import * as z from "zod";
import { dnsWants } from "../../core/ask/index.ts";
import { checkSelector, keyNameOf, type SelectorCheck, usualSelectors } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import { memoized } from "../../core/lookup/index.ts";
import { type DomainName, isBelow, labelsOf } from "../../core/name/index.ts";
import { findWorkspace, keyPath, keySelectors, openWorkspace, readPrivateKey, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { type DnsOptions, nameOperand, openDns } from "../dns/context.ts";
import { domainName, sentence } from "../shapes.ts";

export const dkimCheckSchema = z.object({
  domain: domainName,
  keys: z.array(
    z.object({
      selector: z.string(),
      name: domainName,
      state: z.enum(["usable", "broken", "absent", "unknown"]),
      alias: domainName.nullable().describe("where an alias at the selector leads"),
      type: z.string().nullable(),
      bits: z.number().nullable(),
      remarks: z.array(z.object({ kind: z.string(), breaks: z.boolean(), because: sentence })),
    }),
  ),
  usualTried: z.number().describe("usual selectors that were tried and hold nothing"),
  usualUnknown: z.number().describe("usual selectors that could not be asked for"),
});

export type DkimCheckResult = z.output<typeof dkimCheckSchema>;

/** Selectors that are known of a domain: from the workspace's asks and private keys, and from zone files. */
export function knownSelectors(workspace: Workspace | undefined, domain: DomainName, names: Iterable<DomainName> = []): string[] {
  const asks = workspace?.domains.find((candidate) => candidate.name === domain)?.asks ?? [];
  const above = `_domainkey.${domain}` as DomainName;
  const below = [...asks.flatMap((ask) => dnsWants(ask.wants).map((want) => want.name)), ...names]
    .filter((name) => isBelow(name, above) && !name.startsWith("*."))
    .map((name) => labelsOf(name).slice(0, -labelsOf(above).length).join("."));
  return [...new Set([...below, ...(workspace === undefined ? [] : keySelectors(workspace.folder, domain))])];
}

/** The private key a selector of the workspace belongs to, where it is there. */
export function privateKeyOf(workspace: Workspace | undefined, domain: DomainName, selector: string) {
  if (workspace === undefined || !keySelectors(workspace.folder, domain).includes(selector)) return undefined;
  return readPrivateKey(keyPath(workspace.folder, domain, selector));
}

const json = ({ selector, name, state, alias, key, remarks }: SelectorCheck): DkimCheckResult["keys"][number] => ({
  selector,
  name,
  state,
  alias: alias ?? null,
  type: key?.type ?? null,
  bits: key?.bits ?? null,
  remarks: remarks.map((remark) => ({ ...remark })),
});

/** What {@link dkimCheck} is asked. */
export interface DkimCheckRequest extends CommonRequest, DnsOptions {}

/** Judge the DKIM keys a domain has published: at the selectors named, or at all that are known to the workspace, plus common selectors. */
export async function dkimCheck(request: DkimCheckRequest, context: AppContext): Promise<Outcome<DkimCheckResult>> {
  const [operand, ...selectors] = request.operands;
  const domain = nameOperand(operand as string);
  const wrong = selectors.find((candidate) => keyNameOf(domain, candidate) === undefined);
  if (wrong !== undefined) throw new Failure("not-a-selector", { given: wrong });
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const dns = openDns(request, context, workspace?.settings, [domain]);
  try {
    const lookup = memoized(dns.world);
    const known = selectors.length > 0 ? selectors : knownSelectors(workspace, domain, dns.names);
    const usual = selectors.length > 0 ? [] : usualSelectors(domain).filter((usualSelector) => !known.includes(usualSelector));
    const check = (selector: string) => checkSelector(domain, selector, lookup, privateKeyOf(workspace, domain, selector));
    const wanted = await Promise.all(known.map(check));
    const tried = await Promise.all(usual.map(check));
    // A wildcard answers every selector, one that nobody made too; what it says is not a key of the domain.
    const nobody = usual.length === 0 ? undefined : await check("zandrel-looks-for-wildcards");
    const found = nobody?.state === "absent" ? tried.filter(({ state }) => state !== "absent" && state !== "unknown") : [];
    const shown = [...wanted, ...found];
    const states = shown.map((selectorCheck) => selectorCheck.state);
    const unknown = tried.filter((selectorCheck) => selectorCheck.state === "unknown").length;
    const ended =
      states.includes("broken") || states.includes("absent")
        ? "problem"
        : states.includes("unknown") || unknown > 0
          ? "undetermined"
          : shown.length === 0
            ? "problem"
            : "fine";
    const usualTried = tried.length - found.length - unknown;
    return { ended, result: { domain, keys: shown.map(json), usualTried, usualUnknown: unknown } };
  } finally {
    dns.close();
  }
}
