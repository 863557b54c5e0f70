import { z } from "zod";
import { nameOperand, openDns, resolverOptions } from "../../../app/dns/context.ts";
import { checkSelector, keyNameOf, type SelectorCheck, usualSelectors } from "../../../core/dkim/index.ts";
import { memoized } from "../../../core/lookup/index.ts";
import { type DomainName, displayName, isBelow, labelsOf } from "../../../core/name/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { count, visible, wrap } from "../../../present/index.ts";
import { findWorkspace, keyPath, keySelectors, openWorkspace, readPrivateKey, type Workspace } from "../../../workspace/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  domain: z.string(),
  keys: z.array(
    z.object({
      selector: z.string(),
      name: z.string(),
      state: z.enum(["usable", "broken", "absent", "unknown"]),
      alias: z.string().nullable().describe("where an alias at the selector leads"),
      type: z.string().nullable(),
      bits: z.number().nullable(),
      remarks: z.array(z.object({ kind: z.string(), breaks: z.boolean(), because: z.string() })),
    }),
  ),
  usualTried: z.number().describe("usual selectors that were tried and hold nothing"),
});
type Result = z.output<typeof result>;

/** Selectors that are known of a domain: from the workspace's asks and private keys, and from master files. */
export function knownSelectors(workspace: Workspace | undefined, domain: DomainName, names: Iterable<DomainName> = []): string[] {
  const asks = workspace?.domains.find((one) => one.name === domain)?.asks ?? [];
  const above = `_domainkey.${domain}` as DomainName;
  const below = [...asks.flatMap((ask) => ask.wanted.map((set) => set.name)), ...names]
    .filter((name) => isBelow(name, above) && !name.startsWith("*."))
    .map((name) => labelsOf(name).slice(0, -labelsOf(above).length).join("."));
  return [...new Set([...below, ...(workspace === undefined ? [] : keySelectors(workspace.folder, domain))])];
}

/** The private key a selector of the workspace belongs to, where it is there. */
export function privateKeyOf(workspace: Workspace | undefined, domain: DomainName, selector: string) {
  if (workspace === undefined || !keySelectors(workspace.folder, domain).includes(selector)) return undefined;
  return readPrivateKey(keyPath(workspace.folder, domain, selector));
}

const json = ({ selector, name, state, alias, key, remarks }: SelectorCheck): Result["keys"][number] => ({
  selector,
  name,
  state,
  alias: alias ?? null,
  type: key?.type ?? null,
  bits: key?.bits ?? null,
  remarks: remarks.map((one) => ({ ...one })),
});

export default command<Result>({
  name: "dkim check",
  operands: "DOMAIN [SELECTOR..]",
  summary: "judge the DKIM keys a domain has published: at the selectors named, or at all that the workspace and custom know",
  examples: [
    ["zandrel dkim check brackwater.example", "every selector that can be guessed or is in the workspace"],
    ["zandrel dkim check brackwater.example hp1 hp2", "two selectors"],
    ["zandrel dkim check brackwater.example k1 --zone-file brackwater.example.zone", "before it is published"],
  ],
  options: resolverOptions,
  schema: result,
  async run(args, context) {
    const [operand, ...selectors] = args._;
    if (operand === undefined)
      throw new UserError("zandrel dkim check wants a domain: for example zandrel dkim check brackwater.example.");
    const domain = nameOperand(operand);
    const wrong = selectors.find((one) => keyNameOf(domain, one) === undefined);
    if (wrong !== undefined)
      throw new UserError(`“${visible(wrong)}” is not a selector: it is the word in front of ._domainkey.`);
    const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
    const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
    const dns = openDns(args, context, workspace?.settings, [domain]);
    try {
      const lookup = memoized(dns.world);
      const known = selectors.length > 0 ? selectors : knownSelectors(workspace, domain, dns.names);
      const usual = selectors.length > 0 ? [] : usualSelectors(domain).filter((one) => !known.includes(one));
      const check = (selector: string) => checkSelector(domain, selector, lookup, privateKeyOf(workspace, domain, selector));
      const wanted = await Promise.all(known.map(check));
      const tried = await Promise.all(usual.map(check));
      // A wildcard answers every selector, one that nobody made too; what it says is no key of the domain.
      const nobody = usual.length === 0 ? undefined : await check("zandrel-looks-for-wildcards");
      const found = nobody?.state === "absent" ? tried.filter((one) => one.state !== "absent") : [];
      const shown = [...wanted, ...found.filter((one) => one.state !== "unknown" || wanted.length === 0)];
      const states = shown.map((one) => one.state);
      const exit =
        shown.length === 0 || states.includes("broken") || states.includes("absent")
          ? EXIT.not
          : states.includes("unknown")
            ? EXIT.undetermined
            : EXIT.ok;
      return { exit, result: { domain, keys: shown.map(json), usualTried: tried.length - found.length } };
    } finally {
      dns.close();
    }
  },
  present({ domain, keys, usualTried }, { style, width }) {
    const blocks = keys.map(({ selector, state, alias, type, bits, remarks }) => {
      const paint =
        state === "usable"
          ? style.good("✓ usable")
          : state === "unknown"
            ? style.careful("? could not be asked")
            : style.bad(state === "absent" ? "✗ not there" : "✗ broken");
      const what = type === null ? "" : `  ${type === "rsa" ? `RSA${bits === null ? "" : `, ${bits} bits`}` : "Ed25519"}`;
      const via = alias === null ? "" : `  by an alias to ${visible(displayName(alias as DomainName))}`;
      return [
        `${style.strong(selector.padEnd(10))} ${paint}${what}${via}`,
        ...remarks.map(
          (one) =>
            `           ${one.breaks ? style.bad("!") : style.careful("·")} ${wrap(visible(one.because), width - 13, "             ")}`,
        ),
      ].join("\n");
    });
    const none =
      keys.length === 0 ? ["No DKIM key was found: no selector is known, and none of the usual ones holds a key."] : [];
    const tail =
      usualTried === 0
        ? []
        : [
            style.quiet(
              `${count(usualTried, "usual selector")} hold nothing. A service may use another one: its page says which; name it behind the domain.`,
            ),
          ];
    return `${[style.title(`DKIM keys of ${displayName(domain as DomainName)}`), ...blocks, ...none, ...tail].join("\n")}\n`;
  },
});
