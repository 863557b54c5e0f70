import { relative } from "node:path";
import { z } from "zod";
import { addAsks, ownService } from "../../../app/asks/add.ts";
import { nameOperand } from "../../../app/dns/context.ts";
import { record, withoutRootDot } from "../../../app/shapes.ts";
import { keyNameOf, keyRecordText } from "../../../core/dkim/index.ts";
import { type DomainName, displayName } from "../../../core/name/index.ts";
import { printData, type ResourceRecord, recordJson, splitCharacterStrings } from "../../../core/record/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { wrap } from "../../../present/index.ts";
import {
  type Domain,
  findWorkspace,
  KEY_TYPES,
  type KeyType,
  keyPath,
  newKey,
  openWorkspace,
  type Workspace,
} from "../../../workspace/index.ts";
import { type Arguments, type Context, command } from "../../command.ts";

export const newKeyShape = z.object({
  domain: z.string(),
  selector: z.string(),
  type: z.enum(KEY_TYPES),
  keyFile: z.string().describe("where the private key is, readable by you alone"),
  record: record,
  line: z.string().describe("the record as a master-file line, cut into strings of at most 255 octets"),
  ask: z.string().nullable().describe("the ask that was taken down for it; null outside a workspace"),
});
type Made = z.output<typeof newKeyShape>;

/** A selector that says when the key was made. */
const selectorOf = (now: number): string => `z${new Date(now).toISOString().slice(0, 7).replace("-", "")}`;

/** Makes a key and, for a domain of the workspace, takes down the ask to publish it. */
export async function makeKey(
  domain: DomainName,
  selector: string,
  type: KeyType,
  folder: string,
  workspace: Workspace | undefined,
  args: Arguments,
  context: Context,
): Promise<Made> {
  const name = keyNameOf(domain, selector);
  if (name === undefined) throw new UserError(`“${selector}” is not a selector: use letters, digits, hyphens and dots.`);
  const inWorkspace: Domain | undefined = workspace?.domains.find((one) => one.name === domain);
  const service = workspace === undefined ? undefined : ownService(workspace, args);
  const id = `${service?.key}-dkim-${selector.toLowerCase().replace(/[^a-z0-9]+/g, "-")}`;
  if (inWorkspace?.asks.some((ask) => ask.id === id))
    throw new UserError(`${inWorkspace.path} has the ask ${id} already: choose another selector with --selector.`);
  const path = keyPath(folder, domain, selector);
  const text = keyRecordText(newKey(path, type));
  const one: ResourceRecord = {
    name,
    type: "TXT",
    ttl: workspace?.settings.defaults.ttl ?? 3600,
    data: { strings: splitCharacterStrings(text) },
  };
  if (inWorkspace !== undefined && service !== undefined)
    await addAsks(
      [{ id, service: service.key, purpose: "sending", domain, after: [], records: [one] }],
      service,
      inWorkspace,
      workspace as Workspace,
      context,
    );
  return {
    domain,
    selector,
    type,
    keyFile: relative(context.cwd, path),
    record: recordJson(one),
    line: `${name} ${one.ttl} IN TXT ${printData("TXT", one.data)}`,
    ask: inWorkspace === undefined ? null : id,
  };
}

export default command<Made>({
  name: "dkim new",
  operands: "DOMAIN",
  summary: "make a DKIM key: the private key goes to a file of the workspace, the public key becomes a record to publish",
  examples: [
    ["zandrel dkim new brackwater.example", "an RSA key of 2048 bits, named after the month"],
    ["zandrel dkim new brackwater.example --selector ed1 --type ed25519", "a short, modern key beside the RSA key"],
    ["zandrel dkim new brackwater.example --service swiftquill --selector sq1", "a key that a service signs with"],
  ],
  options: {
    selector: { type: "string", requiresArg: true, describe: "the selector (named after the month if not given)" },
    type: { choices: KEY_TYPES, default: "rsa-2048", requiresArg: true, describe: "kind and size of the key" },
    service: { type: "string", requiresArg: true, describe: "the service that signs with it (your own mail if not given)" },
  },
  schema: newKeyShape,
  async run(args, context) {
    const [operand, ...more] = args._;
    if (operand === undefined || more.length > 0)
      throw new UserError("zandrel dkim new wants one domain: for example zandrel dkim new brackwater.example.");
    const folder = findWorkspace(context.cwd, args.workspace as string | undefined);
    const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
    const selector = (args.selector as string | undefined) ?? selectorOf(context.clock.now());
    const made = await makeKey(
      nameOperand(operand),
      selector,
      args.type as KeyType,
      folder ?? context.cwd,
      workspace,
      args,
      context,
    );
    return { exit: EXIT.ok, result: made };
  },
  present({ domain, selector, keyFile, line, ask, type }, { style, width }) {
    const next =
      ask === null
        ? "Publish the record at the DNS host; in a workspace Zandrel does it."
        : `Next: ${style.command(`zandrel draft ${withoutRootDot(domain as DomainName)}`)}, then publish. Sign with it once zandrel status says it is settled.`;
    return [
      `${style.title(`A new ${type} key for ${displayName(domain as DomainName)}, selector ${selector}`)}`,
      `${style.good("written")}  ${keyFile} (the private key; only you can read it. Never send it to anybody by mail)`,
      ...(ask === null ? [] : [`${style.good("taken down")}  ${ask}`]),
      "",
      "The record that publishes it:",
      style.quiet(line),
      "",
      wrap(next, width),
      "",
    ].join("\n");
  },
});
