import { relative } from "node:path";
import * as z from "zod";
import { keyNameOf, keyRecordText } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { printData, type ResourceRecord, recordJson, splitCharacterStrings } from "../../core/record/index.ts";
import {
  type Domain,
  findWorkspace,
  KEY_TYPES,
  type KeyType,
  keyPath,
  newKey,
  openWorkspace,
  type Workspace,
} from "../../workspace/index.ts";
import { addAsks, ownService } from "../asks/add.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { domainName, record } from "../shapes.ts";

export const newKeyShape = z.object({
  domain: domainName,
  selector: z.string(),
  type: z.enum(KEY_TYPES),
  keyFile: z.string().describe("where the private key is, readable by you alone"),
  record: record,
  line: z.string().describe("the record as a zone-file line, cut into strings of at most 255 octets"),
  ask: z.string().nullable().describe("the ask that was saved for it; null outside a workspace"),
});

export type Made = z.output<typeof newKeyShape>;

/** A selector that says when the key was made. */
const selectorOf = (now: number): string => `z${new Date(now).toISOString().slice(0, 7).replace("-", "")}`;

/** Makes a key and, for a domain of the workspace, saves the ask to publish it. */
export async function makeKey(
  domain: DomainName,
  selector: string,
  type: KeyType,
  folder: string,
  workspace: Workspace | undefined,
  request: { readonly service: string | undefined },
  context: AppContext,
): Promise<Made> {
  const name = keyNameOf(domain, selector);
  if (name === undefined) throw new Failure("not-a-selector", { given: selector });
  const inWorkspace: Domain | undefined = workspace?.domains.find((one) => one.name === domain);
  const service = workspace === undefined ? undefined : ownService(workspace, request);
  const id = `${service?.key}-dkim-${selector.toLowerCase().replace(/[^a-z0-9]+/g, "-")}`;
  if (inWorkspace?.asks.some((ask) => ask.id === id)) throw new Failure("key-ask-there", { path: inWorkspace.path, ask: id });
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

/** What {@link dkimNew} is asked. */
export interface DkimNewRequest extends CommonRequest {
  readonly selector: string | undefined;
  readonly keyType: (typeof KEY_TYPES)[number];
  readonly service: string | undefined;
}

/** Make a DKIM key: the private key goes to a file of the workspace, the public key becomes a record to publish. */
export async function dkimNew(request: DkimNewRequest, context: AppContext): Promise<Outcome<Made>> {
  const operand = onlyOperand(request);
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const selector = request.selector ?? selectorOf(context.clock.now());
  const made = await makeKey(
    nameOperand(operand),
    selector,
    request.keyType as KeyType,
    folder ?? context.cwd,
    workspace,
    request,
    context,
  );
  return { ended: "fine", result: made };
}
