import { createPublicKey, type KeyObject } from "node:crypto";
import { relative } from "node:path";
import * as z from "zod";
import { dnsWants } from "../../core/ask/index.ts";
import { type KEY_TYPES, type KeyType, keyNameOf, keyRecordText } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import { printData, type ResourceRecord, recordJson, splitCharacterStrings } from "../../core/record/index.ts";
import {
  type Domain,
  findWorkspace,
  keyPath,
  keySelectors,
  newKey,
  openWorkspace,
  readPrivateKey,
  type Workspace,
} from "../../workspace/index.ts";
import { ownService, reviseAsks } from "../asks/add.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { domainName, record } from "../shapes.ts";
import { keyAskId } from "../standing/key-ask.ts";

export const newKeyShape = z.object({
  domain: domainName,
  selector: z.string(),
  type: z.string().describe("kind and size, such as rsa-2048"),
  keyFile: z.string().describe("where the private key is, readable by you alone"),
  takenUp: z.boolean().describe("whether the key was there already, without an ask, as a run that was stopped leaves it"),
  record: record,
  line: z.string().describe("the record as a zone-file line, cut into strings of at most 255 octets"),
  ask: z.string().nullable().describe("the ask that was saved for it; null outside a workspace"),
});

export type Made = z.output<typeof newKeyShape>;

/** Kind and size of a key, as `--key-type` names them. */
const typeOf = (key: KeyObject): string =>
  key.asymmetricKeyType === "rsa" ? `rsa-${key.asymmetricKeyDetails?.modulusLength}` : String(key.asymmetricKeyType);

/** A selector that says when the key was made. */
const selectorOf = (now: number): string => `z${new Date(now).toISOString().slice(0, 7).replace("-", "")}`;

/** Whether the ask of a key was ended: its key file is then a memory, and not left over from a run that was stopped. */
async function wasRetired(workspace: Workspace, domain: DomainName, ask: string, context: AppContext): Promise<boolean> {
  if (!workspace.hasJournal) return false;
  const journal = await workspace.openJournal(context);
  try {
    return journal.entries(domain, "ask-retired").some((journalEntry) => journalEntry.ask === ask);
  } finally {
    journal.close();
  }
}

/**
 * Makes a key and, for a domain of the workspace, saves the ask to publish it. The key comes first, so that there is
 * never an ask without its key; a key without an ask, as a run that was stopped in between leaves it, is taken up.
 */
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
  const inWorkspace: Domain | undefined = workspace?.domains.find((candidate) => candidate.name === domain);
  const service = workspace === undefined ? undefined : ownService(workspace, request);
  const id = keyAskId(service?.key ?? "", "dkim", selector);
  if (inWorkspace?.asks.some((ask) => ask.id === id)) throw new Failure("key-ask-there", { path: inWorkspace.path, ask: id });
  const path = keyPath(folder, domain, selector);
  const takenUp =
    workspace !== undefined &&
    inWorkspace !== undefined &&
    keySelectors(folder, domain).includes(selector) &&
    !inWorkspace.asks.some((ask) => dnsWants(ask.wants).some((want) => want.name === name)) &&
    !(await wasRetired(workspace, domain, id, context));
  const publicKey = takenUp ? createPublicKey(readPrivateKey(path)) : newKey(path, type);
  const resourceRecord: ResourceRecord = {
    name,
    type: "TXT",
    ttl: workspace?.settings.defaults.ttl ?? 3600,
    data: { strings: splitCharacterStrings(keyRecordText(publicKey)) },
  };
  if (inWorkspace !== undefined && workspace !== undefined && service !== undefined)
    await reviseAsks(workspace, domain, context, (now) => {
      if (now.asks.some((ask) => ask.id === id)) throw new Failure("key-ask-there", { path: now.path, ask: id });
      return {
        service,
        add: [{ id, service: service.key, purpose: "sending", domain, after: [], records: [resourceRecord] }],
        result: id,
      };
    });
  return {
    domain,
    selector,
    type: typeOf(publicKey),
    keyFile: relative(context.cwd, path),
    takenUp,
    record: recordJson(resourceRecord),
    line: `${name} ${resourceRecord.ttl} IN TXT ${printData("TXT", resourceRecord.data)}`,
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
