import { existsSync } from "node:fs";
import { resolve } from "node:path";
import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { logoLabel, logoRecordText, prepareDrawing } from "../../core/logo/index.ts";
import { name, withoutRootDot } from "../../core/name/index.ts";
import { octetsOf, splitCharacterStrings } from "../../core/record/index.ts";
import { findWorkspace, openWorkspace } from "../../workspace/index.ts";
import { ownService, reviseAsks } from "../asks/add.ts";
import { type AppContext, type CommonRequest, type Outcome, onlyOperand } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { saveText } from "../save.ts";
import { domainName, sentence } from "../shapes.ts";
import { fileOf, unpacked } from "./check.ts";

export const logoPrepareSchema = z.object({
  file: z.string(),
  into: z.string().nullable().describe("the file that was written; null where the drawing cannot be made clean"),
  page: z.string().nullable().describe("the page that shows both"),
  sizes: z.object({ before: z.number(), after: z.number() }).describe("octets"),
  done: z.array(sentence).describe("what was done to it"),
  offences: z
    .array(z.object({ line: z.number(), because: sentence }))
    .describe("what is still in the way, by the lines of the clean drawing"),
  domain: domainName.nullable(),
  record: z.string().nullable().describe("the record for it, where a domain and an address were named"),
  ask: z.string().nullable().describe("the ask it was saved as"),
});

export type LogoPrepareResult = z.output<typeof logoPrepareSchema>;

/** What {@link logoPrepare} is asked. */
export interface LogoPrepareRequest extends CommonRequest {
  readonly title: string | undefined;
  readonly into: string | undefined;
  readonly force: boolean;
  readonly html: string | undefined;
  readonly domain: string | undefined;
  /** Web addresses that the record is to name. */
  readonly address: string | undefined;
  readonly evidenceAddress: string | undefined;
  readonly write: boolean;
}

/** A prepared drawing, with both for a page that shows them. */
export interface PreparedLogo {
  readonly result: LogoPrepareResult;
  readonly before: Buffer;
  readonly after: string;
}

/** Makes a drawing keep to the profile where that can be done without changing how it looks, and composes the record for it. */
export async function logoPrepare(request: LogoPrepareRequest, context: AppContext): Promise<Outcome<PreparedLogo>> {
  const file = onlyOperand(request);
  const before = unpacked(fileOf(context.cwd, file));
  const folder = findWorkspace(context.cwd, request.workspace);
  const workspace = folder === undefined ? undefined : openWorkspace(context.cwd, folder);
  const title = request.title ?? workspace?.settings.organisation ?? file.replace(/^.*[\\/]/, "").replace(/\.\w+$/, "");
  for (const url of [request.address, request.evidenceAddress])
    if (url !== undefined && (!URL.canParse(url) || new URL(url).protocol !== "https:"))
      throw new Failure("logo-address", { given: url });
  if ((request.write || request.evidenceAddress !== undefined) && request.address === undefined)
    throw new Failure("logo-address-needed", {});
  const domains = workspace?.domains.map((one) => one.name) ?? [];
  const domain = request.domain !== undefined ? nameOperand(request.domain) : domains.length === 1 ? domains[0] : undefined;
  if (request.write && domain === undefined)
    throw domains.length === 0 ? new Failure("no-domain", {}) : new Failure("which-domain", { domains });
  if (request.write && domain !== undefined && !domains.includes(domain)) throw new Failure("not-in-workspace", { domain });
  const prepared = prepareDrawing(before, title.slice(0, 64));
  const clean = prepared.text !== "" && prepared.offences.length === 0;
  const into = request.into ?? file.replace(/(\.svgz?)?$/i, "-tiny-ps.svg");
  if (clean && existsSync(resolve(context.cwd, into)) && !request.force)
    throw new Failure("file-there", { path: into, what: "drawing" });
  if (clean) saveText(context, into, prepared.text);
  const record =
    request.address === undefined ? null : logoRecordText({ drawing: request.address, evidence: request.evidenceAddress });
  let ask: string | null = null;
  if (request.write && record !== null && clean && workspace !== undefined && domain !== undefined) {
    const service = ownService(workspace, { service: undefined });
    ask = `${service.key}-logo`;
    const id = ask;
    const at = name(`${logoLabel("default")}.${withoutRootDot(domain)}`);
    await reviseAsks(workspace, domain, context, (now) => ({
      service,
      without: new Map(now.asks.some((one) => one.id === id) ? [[id, clause("retired-other-policy")]] : []),
      add: [
        {
          ...{ id, service: service.key, purpose: "policy", domain, after: [] },
          records: [
            {
              name: at,
              type: "TXT",
              ttl: workspace.settings.defaults.ttl,
              data: { strings: splitCharacterStrings(octetsOf(record)) },
            },
          ],
        },
      ],
      result: undefined,
    }));
  }
  return {
    ended: clean ? "fine" : "problem",
    result: {
      before,
      after: prepared.text,
      result: {
        file,
        into: clean ? into : null,
        page: request.html ?? null,
        sizes: { before: before.length, after: Buffer.byteLength(prepared.text) },
        done: [...prepared.done],
        offences: prepared.offences.map((one) => ({ ...one })),
        domain: domain ?? null,
        record,
        ask,
      },
    },
  };
}
