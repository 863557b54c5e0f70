import { resolve } from "node:path";
import type { PURPOSES, Purpose } from "../../core/ask/index.ts";
import { MAX_PASTE, type Row, type Understood, understand, understandFields } from "../../core/ask/intake/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, relativeText } from "../../core/name/index.ts";
import { type DataOf, decodeUtf8, type ResourceRecord, txtValue } from "../../core/record/index.ts";
import { isSpf } from "../../core/spf/index.ts";
import { type Domain, KEY, openWorkspace, readText, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import {
  askJson,
  type Decision,
  domainFor,
  type IntakeResult,
  type NewAsk,
  reviseAsks,
  type ServiceOfAsk,
  twinOf,
  withoutSpf,
} from "./add.ts";
import { fromKit } from "./add-from-kit.ts";

/** What the records of one ask are for, as far as they show it. */
function purposeOf(records: readonly ResourceRecord[], domain: DomainName): Purpose {
  const [first] = records as [ResourceRecord];
  const label = relativeText(first.name, domain);
  if (records.some((one) => one.name.includes("._domainkey."))) return "sending";
  if (records.some((one) => one.type === "MX")) return label === "@" ? "mailbox" : "bounce";
  if (label.startsWith("_acme-challenge")) return "certificate";
  if (label.startsWith("_dmarc")) return "policy";
  if (first.type === "TXT" && isSpf(decodeUtf8(txtValue(first.data as DataOf["TXT"]))))
    return label === "@" ? "sending" : "bounce";
  if (first.type === "TXT") return "ownership";
  if (first.type === "CNAME" && label.startsWith("_")) return "certificate";
  return "site";
}

const escapeRegex = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/** The service the paste is from: named, or recognised by its title in the text. */
function serviceFor(workspace: Workspace, request: IntakeRequest, text: string): ServiceOfAsk {
  const { services } = workspace.settings;
  const added = request.addService;
  if (added !== undefined) {
    const key = added
      .toLowerCase()
      .normalize("NFKD")
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "");
    if (!KEY.test(key)) throw new Failure("service-name", { given: added });
    return { key, title: services[key]?.title ?? added };
  }
  const named = request.service;
  if (named !== undefined) {
    const service = services[named];
    if (service !== undefined) return { key: named, title: service.title };
    throw new Failure("unknown-service", { given: named, known: Object.keys(services) });
  }
  const found = Object.entries(services).filter(([key, { title }]) =>
    new RegExp(`(^|[^a-z0-9])(${escapeRegex(title)}|${key})`, "i").test(text),
  );
  const [one] = found;
  if (one === undefined || found.length > 1) throw new Failure("which-service", { known: Object.keys(services) });
  return { key: one[0], title: one[1].title };
}

/** The paste: from a file, standard input, or the terminal. */
async function pasted(request: IntakeRequest, context: AppContext): Promise<string> {
  const [file, ...more] = request.operands;
  if (more.length > 0) throw new Failure("one-file", {});
  if (file !== undefined && file !== "-") return readText(resolve(context.cwd, file), "utf8", MAX_PASTE);
  if (context.interactive) context.note("Paste what the service shows, then press Ctrl-D on an empty line:\n");
  return context.readInput(MAX_PASTE);
}

function parseChoices(request: IntakeRequest): Map<string, string> {
  return new Map(
    request.choose.map((text) => {
      const at = text.lastIndexOf("=");
      if (at < 1) throw new Failure("choice-form", { given: text });
      return [text.slice(0, at), text.slice(at + 1)] as const;
    }),
  );
}

/** The fields that options name, each with exactly the value that was given. */
const fieldsOf = ({ type, host, value, priority, ttl }: IntakeRequest): Row => ({
  type: type ?? "TXT",
  host: host ?? "@",
  ...(value === undefined ? {} : { value }),
  ...(priority === undefined ? {} : { priority }),
  ...(ttl === undefined ? {} : { ttl }),
});

/** Understands the paste or the options; on a terminal every doubt is asked, elsewhere it ends the command. */
async function understood(
  text: string,
  domain: Domain,
  workspace: Workspace,
  request: IntakeRequest,
  context: AppContext,
): Promise<Understood> {
  const choices = parseChoices(request);
  for (;;) {
    const how = { domain: domain.name, ttl: workspace.settings.defaults.ttl, choices };
    const read = request.value === undefined ? understand({ text, ...how }) : understandFields(fieldsOf(request), how);
    const [question] = read.questions;
    if (question === undefined || !context.interactive) return read;
    context.note(`${question.question}\n${question.choices.map(({ key, meaning }) => `  ${key}: ${meaning}\n`).join("")}`);
    const answer = await context.prompt(`${question.choices.map(({ key }) => key).join(" or ")}? `);
    if (question.choices.some(({ key }) => key === answer)) choices.set(question.id, answer);
    else if (answer === "") throw new Failure("question-left-open", {});
  }
}

function freeId(wanted: string, domain: Domain): string {
  const taken = new Set(domain.asks.map((ask) => ask.id));
  let id = wanted;
  for (let n = 2; taken.has(id); n++) id = `${wanted}-${n}`;
  return id;
}

/** What {@link intake} is asked. */
export interface IntakeRequest extends CommonRequest {
  readonly domain: string | undefined;
  readonly service: string | undefined;
  readonly addService: string | undefined;
  readonly purpose: (typeof PURPOSES)[number] | undefined;
  readonly id: string | undefined;
  readonly type: string | undefined;
  readonly host: string | undefined;
  readonly value: string | undefined;
  readonly priority: string | undefined;
  readonly ttl: string | undefined;
  readonly kit: string | undefined;
  readonly input: readonly string[];
  readonly choose: readonly string[];
  readonly dryRun: boolean;
}

/** Save what a service asked for, from what its page shows, a file or options. */
export async function intake(request: IntakeRequest, context: AppContext): Promise<Outcome<IntakeResult>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const { kit, value } = request;
  if (kit !== undefined) return fromKit({ ...request, kit }, workspace, context);
  if (value !== undefined && request.operands.length > 0) throw new Failure("file-or-value", {});
  const text = value === undefined ? await pasted(request, context) : "";
  const domain = domainFor(workspace, request, text);
  const service = serviceFor(workspace, request, text);
  const read = await understood(text, domain, workspace, request, context);
  const [problem] = read.problems;
  if (problem !== undefined) throw new Failure("paste-row", { row: problem.row, because: problem.because });
  if (read.layout === undefined) throw new Failure("no-record-in-paste", {});
  const dry = request.dryRun;
  if (read.questions.length > 0 && !dry) throw new Failure("paste-ambiguous", { questions: read.questions });
  if (read.records.length === 0 && read.questions.length === 0) throw new Failure("no-record-in-paste", {});

  const purpose = request.purpose ?? (read.records.length === 0 ? "ownership" : purposeOf(read.records, domain.name));
  const given = request.id;
  if (given !== undefined && !KEY.test(given)) throw new Failure("id-form", { given });
  /** The ask among those that are there now, and whether one of them is the same. */
  const decide = (now: Domain): Decision<{ ask: NewAsk; already: string | null }> => {
    if (given !== undefined && now.asks.some((ask) => ask.id === given))
      throw new Failure("id-taken", { id: given, path: now.path });
    const ask = {
      id: given ?? freeId(`${service.key}-${purpose}`, now),
      service: service.key,
      purpose,
      domain: now.name,
      after: [],
      ...withoutSpf(read.records, now.name),
    };
    const already = twinOf(ask, now) ?? null;
    return { service, add: already === null ? [ask] : [], result: { ask, already } };
  };
  const { ask, already } = dry ? decide(domain).result : await reviseAsks(workspace, domain.name, context, decide);
  const shown: IntakeResult = {
    written: !dry && already === null,
    already,
    layout: read.layout,
    pasted: read.pasted.map(({ type = null, host = null, value = null }) => ({ type, host, value })),
    asks: [askJson(ask)],
    repairs: [...read.repairs],
    questions: read.questions.map((question) => ({ ...question, choices: [...question.choices] })),
    before: [],
    later: [],
  };
  return { ended: dry && read.questions.length > 0 ? "usage" : "fine", result: shown };
}
