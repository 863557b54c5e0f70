import { resolve } from "node:path";
import { PURPOSES, type Purpose } from "../../core/ask/index.ts";
import {
  byPurpose,
  type Fields,
  type IntakeQuestion,
  MAX_PASTE,
  type PastedProof,
  type PastedRecord,
  type Understood,
  understand,
  understandFields,
} from "../../core/ask/intake/index.ts";
import { Failure } from "../../core/failure.ts";
import { askOfKit, type Kit } from "../../core/kit/index.ts";
import { relativeText, withoutRootDot } from "../../core/name/index.ts";
import { decodeUtf8, printData, txtValue } from "../../core/record/index.ts";
import type { WebProof } from "../../core/site/index.ts";
import { type Domain, KEY, kitsOf, openWorkspace, readText, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import {
  type Decision,
  domainFor,
  type Intake,
  type NewAsk,
  overlapping,
  reviseAsks,
  type ServiceOfAsk,
  twinOf,
  withoutSpf,
} from "./add.ts";
import { fromKit } from "./add-from-kit.ts";

const escapeRegex = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/** The service that options name. */
function namedService(workspace: Workspace, { addService, service: named }: IntakeRequest): ServiceOfAsk | undefined {
  const { services } = workspace.settings;
  if (addService !== undefined) {
    const key = addService
      .toLowerCase()
      .normalize("NFKD")
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "");
    if (!KEY.test(key)) throw new Failure("service-name", { given: addService });
    return { key, title: services[key]?.title ?? addService };
  }
  if (named === undefined) return undefined;
  const service = services[named];
  if (service === undefined) throw new Failure("unknown-service", { given: named, known: Object.keys(services) });
  return { key: named, title: service.title };
}

/** The service the paste is from: the one of the kit that its records fill in, or recognised by its title in the text. */
async function serviceFor(workspace: Workspace, kit: Kit | undefined, text: string, context: AppContext): Promise<ServiceOfAsk> {
  const { services } = workspace.settings;
  if (kit !== undefined) return { key: kit.service, title: services[kit.service]?.title ?? kit.title };
  const found = Object.entries(services).filter(([key, { title }]) =>
    new RegExp(`(^|[^a-z0-9])(${escapeRegex(title)}|${key})($|[^a-z0-9])`, "i").test(text),
  );
  const only = found.length === 1 ? found[0] : undefined;
  if (only !== undefined) return { key: only[0], title: only[1].title };
  const known = found.length > 1 ? found.map(([key]) => key) : Object.keys(services);
  const chosen = known.length === 0 || !context.interactive ? undefined : await context.choose({ kind: "which-service", known });
  const service = chosen === undefined ? undefined : services[chosen];
  if (chosen === undefined || service === undefined) throw new Failure("which-service", { known });
  return { key: chosen, title: service.title };
}

/** The paste: from a file, standard input, or the terminal. */
async function pasted(request: IntakeRequest, context: AppContext): Promise<string> {
  const [file, ...more] = request.operands;
  if (more.length > 0) throw new Failure("one-file", {});
  if (file !== undefined && file !== "-") return readText(resolve(context.cwd, file), "utf8", MAX_PASTE);
  if (file === undefined && context.interactive)
    context.note("Paste what the service shows, then press Ctrl-D on an empty line:\n");
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
const fieldsOf = ({ type, host, value, priority, ttl }: IntakeRequest): Fields => ({
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
  const others = workspace.domains.flatMap(({ name }) => (name === domain.name ? [] : [name]));
  for (;;) {
    const how = { domain: domain.name, others, ttl: workspace.settings.defaults.ttl, choices };
    const read = request.value === undefined ? understand({ text, ...how }) : understandFields(fieldsOf(request), how);
    const [question] = read.questions;
    if (question === undefined || !context.interactive) return read;
    choices.set(question.id, await answerTo(question, context));
  }
}

async function answerTo(question: IntakeQuestion, context: AppContext): Promise<string> {
  const answer = await context.choose({ kind: "paste-doubt", question });
  if (answer === undefined) throw new Failure("question-left-open", {});
  return answer;
}

function freeId(wanted: string, taken: ReadonlySet<string>): string {
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
  readonly insteadOf: string | undefined;
  readonly type: string | undefined;
  readonly host: string | undefined;
  readonly value: string | undefined;
  readonly priority: string | undefined;
  readonly ttl: string | undefined;
  readonly kit: string | undefined;
  readonly input: readonly string[];
  readonly choose: readonly string[];
  readonly acceptLeftover: boolean;
  readonly dryRun: boolean;
}

/** Ends the command where the paste cannot be saved as it is. */
function expectSavable(read: Understood, { acceptLeftover, dryRun }: IntakeRequest): void {
  const [problem] = read.problems;
  if (problem !== undefined) throw new Failure("paste-problem", { problem });
  if (dryRun) return;
  if (read.questions.length > 0) throw new Failure("paste-ambiguous", { questions: read.questions });
  if (read.leftover.length > 0 && !acceptLeftover) throw new Failure("paste-leftover", { leftover: read.leftover });
}

/** One group of records on its way to be an ask. */
interface Group {
  readonly purpose: Purpose;
  readonly sure: boolean;
  readonly records: readonly PastedRecord[];
  readonly spfTerms: readonly string[];
  readonly web?: PastedProof;
}

/** Everything the paste asks for, in groups of one purpose each. */
function groupsOf(read: Understood, domain: Domain, text: string, { purpose }: IntakeRequest): Group[] {
  const groups: Group[] =
    purpose !== undefined && read.records.length > 0
      ? [{ purpose, sure: true, records: read.records, spfTerms: [] }]
      : byPurpose(read.records, domain.name, text).map((group) => ({ ...group, spfTerms: [] }));
  if (read.spfTerms.length > 0) {
    const at = groups.findIndex((group) => group.purpose === "sending");
    const into = groups[at];
    if (into === undefined) groups.push({ purpose: purpose ?? "sending", sure: true, records: [], spfTerms: read.spfTerms });
    else groups[at] = { ...into, spfTerms: read.spfTerms };
  }
  for (const web of read.web) groups.push({ purpose: purpose ?? "ownership", sure: true, records: [], spfTerms: [], web });
  return groups;
}

/** A proof with the page it is looked for on: where the paste names none, the home page of the domain. */
const webProof = (proof: PastedProof, domain: Domain): WebProof =>
  proof.kind === "file" ? proof : { ...proof, url: `https://${withoutRootDot(domain.name)}/` };

/** The ask that a group becomes among those that are there. */
function newAsk(
  group: Group,
  id: string,
  service: ServiceOfAsk,
  after: readonly string[],
  domain: Domain,
  remove: Understood["remove"],
): NewAsk {
  const { records, spf } = withoutSpf(
    group.records.map(({ record }) => record),
    domain.name,
  );
  const terms = [...group.spfTerms, ...(spf === undefined ? [] : [spf])].join(" ");
  return {
    id,
    service: service.key,
    purpose: group.purpose,
    domain: domain.name,
    after,
    records,
    remove,
    ...(terms === "" ? {} : { spf: terms }),
    ...(group.web === undefined ? {} : { web: webProof(group.web, domain) }),
  };
}

/** What the intake makes of the domain as it is now: new asks, those that are there already, the one that is replaced. */
function decideFor(
  groups: readonly Group[],
  read: Understood,
  service: ServiceOfAsk,
  kit: Kit | undefined,
  request: IntakeRequest,
) {
  const { id: given, insteadOf } = request;
  return (now: Domain): Decision<{ asks: readonly NewAsk[]; already: readonly string[]; newerThan: readonly string[] }> => {
    const taken = new Set(now.asks.map((ask) => ask.id).filter((id) => id !== insteadOf));
    if (given !== undefined && taken.has(given)) throw new Failure("id-taken", { id: given, path: now.path });
    if (insteadOf !== undefined && !now.asks.some((ask) => ask.id === insteadOf))
      throw new Failure("unknown-ask", { given: insteadOf, known: now.asks.map((ask) => ask.id) });
    const asks: NewAsk[] = [];
    const already: string[] = [];
    const newerThan: string[] = [];
    groups.forEach((group, i) => {
      const known =
        kit === undefined
          ? undefined
          : askOfKit(
              kit,
              now.name,
              group.records.map(({ record }) => record),
            );
      const wanted =
        given ??
        insteadOf ??
        (known === undefined ? [service.key, group.purpose].filter((part) => part !== "").join("-") : kitAskId(kit, known.id));
      // What the page tells to remove goes with the first of its asks.
      const remove = i === 0 ? read.remove : [];
      const after = (known?.after ?? []).map((id) => kitAskId(kit, id)).filter((id) => taken.has(id));
      const ask = newAsk(
        { ...group, purpose: request.purpose ?? known?.purpose ?? group.purpose },
        freeId(wanted, taken),
        service,
        after,
        now,
        remove,
      );
      const twin = twinOf(ask, now);
      if (twin !== undefined && twin !== insteadOf) {
        already.push(twin);
        return;
      }
      const older = insteadOf === undefined ? overlapping(ask, now) : undefined;
      if (older?.exclusive === true && given === undefined)
        throw new Failure("ask-differs", { ask: older.id, service: service.title, name: older.name, type: older.type });
      if (older !== undefined) newerThan.push(older.id);
      taken.add(ask.id);
      asks.push(ask);
    });
    const without =
      insteadOf === undefined || asks.length === 0
        ? new Map<string, string>()
        : new Map([[insteadOf, "a newer version was saved in its place"]]);
    return { service, add: asks, without, result: { asks, already, newerThan } };
  };
}

const kitAskId = (kit: Kit | undefined, id: string): string =>
  kit === undefined || id.startsWith(`${kit.service}-`) ? id : `${kit.service}-${id}`;

/** The kit of the workspace that the records of a paste fill in; only where one alone does. */
function kitFor(read: Understood, domain: Domain, kits: readonly Kit[]): Kit | undefined {
  const records = read.records.map(({ record }) => record);
  const matching = kits.filter((kit) => records.some((record) => askOfKit(kit, domain.name, [record]) !== undefined));
  return matching.length === 1 ? matching[0] : undefined;
}

/** Save what a service asked for, from what its page shows, a file or options. */
export async function intake(request: IntakeRequest, context: AppContext): Promise<Outcome<Intake>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const { kit: kitName, value } = request;
  if (kitName !== undefined) return fromKit({ ...request, kit: kitName }, workspace, context);
  if (value !== undefined && request.operands.length > 0) throw new Failure("file-or-value", {});
  const text = value === undefined ? await pasted(request, context) : "";
  const domain = await domainFor(workspace, request, text, context);
  const named = namedService(workspace, request);
  if (named === undefined && value !== undefined)
    throw new Failure("which-service", { known: Object.keys(workspace.settings.services) });
  let read = await understood(text, domain, workspace, request, context);
  expectSavable(read, { ...request, acceptLeftover: request.acceptLeftover || context.interactive });
  if (request.id !== undefined && !KEY.test(request.id)) throw new Failure("id-form", { given: request.id });
  const kits = await kitsOf(workspace.folder);
  for (;;) {
    const kit = kitFor(read, domain, named === undefined ? kits : kits.filter(({ service }) => service === named.key));
    let groups = groupsOf(read, domain, text, request);
    if (request.purpose === undefined && context.interactive) groups = await withPurposes(groups, context);
    for (const option of ["id", "insteadOf"] as const)
      if (request[option] !== undefined && groups.length > 1)
        throw new Failure("one-ask-only", { option: option === "id" ? "id" : "instead-of", asks: groups.length });
    const nobody = { key: "", title: "" };
    const service =
      named ??
      (groups.length === 0
        ? nobody
        : await serviceFor(workspace, kit, text, context).catch((error) => {
            // What is only shown needs no service yet.
            if (request.dryRun && error instanceof Failure) return nobody;
            throw error;
          }));
    const decide = decideFor(groups, read, service, kit, request);
    const preview = decide(domain).result;
    const shown = (result: typeof preview, written: boolean): Intake => ({
      written,
      already: result.already,
      newerThan: result.newerThan,
      insteadOf: request.insteadOf,
      layout: read.layout,
      asks: result.asks.length === 0 && result.already.length > 0 ? [] : result.asks,
      assumed: groups.filter(({ sure }) => !sure).map(({ purpose }) => purpose),
      read,
      before: [],
      later: [],
    });
    if (request.dryRun || groups.length === 0)
      return { ended: read.questions.length > 0 || read.leftover.length > 0 ? "usage" : "fine", result: shown(preview, false) };
    if (context.interactive && value === undefined && preview.asks.length > 0) {
      const answer = await context.choose({ kind: "save-paste", intake: shown(preview, false) });
      if (answer === undefined) throw new Failure("question-left-open", {});
      if (answer === "no") return { ended: "problem", result: { ...shown(preview, false), declined: true } };
      if (answer === "edit") {
        read = await edited(read, domain, workspace, context);
        continue;
      }
    }
    const result = await reviseAsks(workspace, domain.name, context, decide);
    return { ended: "fine", result: shown(result, result.asks.length > 0) };
  }
}

/** The records with what the person typed in place of what was read; an empty answer keeps a field. */
async function edited(read: Understood, domain: Domain, workspace: Workspace, context: AppContext): Promise<Understood> {
  const records: PastedRecord[] = [];
  for (const one of read.records) {
    const { record } = one;
    const was = {
      type: record.type,
      host: relativeText(record.name, domain.name),
      value: "strings" in record.data ? decodeUtf8(txtValue(record.data)) : printData(record.type, record.data),
    };
    const ask = async (field: keyof typeof was) => (await context.prompt(`${field} [${was[field]}]: `)) || was[field];
    const fields = { type: await ask("type"), host: await ask("host"), value: await ask("value"), ttl: String(record.ttl) };
    const made = understandFields(fields, { domain: domain.name, ttl: workspace.settings.defaults.ttl, choices: new Map() });
    const [problem] = made.problems;
    if (problem !== undefined) throw new Failure("paste-problem", { problem });
    records.push(...made.records.map((next) => ({ ...next, about: one.about })));
  }
  return { ...read, records };
}

/** Asks what records are for that nothing on the page explains. */
async function withPurposes(groups: readonly Group[], context: AppContext): Promise<Group[]> {
  const asked: Group[] = [];
  for (const group of groups) {
    const answer = group.sure
      ? group.purpose
      : await context.choose({ kind: "which-purpose", records: group.records.map(({ record }) => record), guess: group.purpose });
    const purpose = PURPOSES.find((known) => known === answer);
    if (purpose === undefined) throw new Failure("question-left-open", {});
    asked.push({ ...group, purpose });
  }
  return asked;
}
