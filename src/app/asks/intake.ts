import { resolve } from "node:path";
import type { Purpose } from "../../core/ask/index.ts";
import {
  type Fields,
  type IntakeQuestion,
  MAX_PASTE,
  type PastedRecord,
  type Understood,
  understand,
  understandFields,
} from "../../core/ask/intake/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { askOfKit, type Kit } from "../../core/kit/index.ts";
import { relativeText } from "../../core/name/index.ts";
import { decodeUtf8, printData, txtValue } from "../../core/record/index.ts";
import { type Domain, KEY, kitsOf, openWorkspace, readText, type Workspace } from "../../workspace/index.ts";
import { type AppContext, answerFrom, type Outcome } from "../context.ts";
import { domainFor, reviseAsks } from "./add.ts";
import { fromKit } from "./add-from-kit.ts";
import { decideFor, expectPurposes, type Grouped, groupsOf, withPurposes } from "./grouping.ts";
import type { IntakeRequest } from "./intake-request.ts";
import type { Intake } from "./new-ask.ts";
import { namedService, serviceOfPaste } from "./which-service.ts";

/** The paste: from a file, standard input, or the terminal. */
async function pasted(request: IntakeRequest, context: AppContext): Promise<string> {
  const [file, ...more] = request.operands;
  if (more.length > 0) throw new Failure("one-file", {});
  if (file !== undefined && file !== "-") return readText(resolve(context.cwd, file), "as-saved", MAX_PASTE);
  if (file === undefined && context.interactive) await context.tell(clause("told-paste-now"));
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

/** Ends the command where the paste cannot be saved as it is. */
function expectSavable(read: Understood, { acceptLeftover, dryRun, explain }: IntakeRequest): void {
  const [problem] = read.problems;
  if (problem !== undefined && !explain) throw new Failure("paste-problem", { problem });
  if (dryRun) return;
  if (read.questions.length > 0) throw new Failure("paste-ambiguous", { questions: read.questions });
  if (read.leftover.length > 0 && !acceptLeftover) throw new Failure("paste-leftover", { leftover: read.leftover });
}

/** The kit of the workspace that the records of a paste fill in; only where one alone does. */
function kitFor(read: Understood, domain: Domain, kits: readonly Kit[]): Kit | undefined {
  const records = read.records.map(({ record }) => record);
  const matching = kits.filter((kit) => records.some((record) => askOfKit(kit, domain.name, [record]) !== undefined));
  return matching.length === 1 ? matching[0] : undefined;
}

/** Save what a service asked for, from what its page shows, a file or options. */
export async function intake(asked: IntakeRequest, context: AppContext): Promise<Outcome<Intake>> {
  // What is explained is shown, and not saved.
  const request = asked.explain ? { ...asked, dryRun: true } : asked;
  const workspace = openWorkspace(context.cwd, request.workspace);
  const { kit: kitName, value } = request;
  if (request.explain && (kitName ?? value) !== undefined)
    throw new Failure("explain-page", { option: kitName === undefined ? "value" : "kit" });
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
  const kits = (await kitsOf(workspace.folder)).map(({ kit }) => kit);
  const purposes = new Map<Purpose, Purpose>();
  let service = named;
  for (;;) {
    const kit = kitFor(read, domain, named === undefined ? kits : kits.filter(({ service }) => service === named.key));
    let groups = groupsOf(read, domain.name, text, request.purpose);
    if (context.interactive) groups = await withPurposes(groups, read.remove, purposes, context);
    else if (!request.dryRun && value === undefined) expectPurposes(groups);
    if (request.id !== undefined && groups.length > 1) throw new Failure("one-ask-only", { asks: groups.length });
    if (service === undefined && groups.length > 0)
      service = await serviceOfPaste(
        workspace,
        kit,
        { text, records: read.records.map(({ record }) => record), domain: domain.name },
        context,
      ).catch((error) => {
        // What is only shown needs no service yet.
        if (request.dryRun && error instanceof Failure) return undefined;
        throw error;
      });
    let insteadOf = request.insteadOf;
    const deciding = () => decideFor(groups, read, service, kit, { ...request, insteadOf });
    let preview = deciding()(domain).result;
    if (context.interactive && !request.dryRun && preview.newerThan.length > 0) {
      const answer = await context.choose({ kind: "replace-older", older: preview.newerThan });
      if (answer === undefined) throw new Failure("question-left-open", {});
      if (answer === "yes") insteadOf = [...insteadOf, ...preview.newerThan];
      preview = deciding()(domain).result;
    }
    const decide = deciding();
    const shown = (result: Grouped, written: boolean): Intake => ({
      domain: domain.name,
      written,
      ...result,
      insteadOf: result.replaced,
      layout: read.layout,
      assumed: groups.filter(({ sure }) => !sure).map(({ purpose }) => purpose),
      read,
      explain: request.explain,
      before: [],
      later: [],
    });
    if (request.dryRun || (groups.length === 0 && preview.redirectTo === undefined))
      return {
        ended: read.questions.length + read.leftover.length + read.problems.length > 0 ? "usage" : "fine",
        result: shown(preview, false),
      };
    if (context.interactive && value === undefined && (preview.asks.length > 0 || preview.redirectTo !== undefined)) {
      const answer = await context.choose({ kind: "save-paste", intake: shown(preview, false) });
      if (answer === undefined) throw new Failure("question-left-open", {});
      if (answer === "no") return { ended: "problem", result: { ...shown(preview, false), declined: true } };
      if (answer === "edit") {
        read = await edited(read, domain, workspace, context);
        continue;
      }
    }
    const result = await reviseAsks(workspace, domain.name, context, decide);
    return { ended: "fine", result: shown(result, result.asks.length > 0 || result.redirectTo !== undefined) };
  }
}

/** The records with what the person typed in place of what was read; an empty answer keeps a field. */
async function edited(read: Understood, domain: Domain, workspace: Workspace, context: AppContext): Promise<Understood> {
  const records: PastedRecord[] = [];
  for (const pastedRecord of read.records) {
    const { record } = pastedRecord;
    const was = {
      type: record.type,
      host: relativeText(record.name, domain.name),
      value: "strings" in record.data ? decodeUtf8(txtValue(record.data)) : printData(record.type, record.data),
    };
    const ask = async (field: keyof typeof was) =>
      (await answerFrom(context, clause("question-field", { field, was: was[field] }))) || was[field];
    const fields = { type: await ask("type"), host: await ask("host"), value: await ask("value"), ttl: String(record.ttl) };
    const made = understandFields(fields, { domain: domain.name, ttl: workspace.settings.defaults.ttl, choices: new Map() });
    const [problem] = made.problems;
    if (problem !== undefined) throw new Failure("paste-problem", { problem });
    records.push(...made.records.map((next) => ({ ...next, about: pastedRecord.about, evidence: pastedRecord.evidence })));
  }
  return { ...read, records };
}
