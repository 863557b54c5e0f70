import { resolve } from "node:path";
import { addAsks, askJson, domainFor, type IntakeResult, intakeResult, twinOf, withoutSpf } from "../../app/asks/add.ts";
import { fromKit } from "../../app/asks/add-from-kit.ts";
import { withoutRootDot } from "../../app/shapes.ts";
import { PURPOSES, type Purpose } from "../../core/ask/index.ts";
import { type IntakeQuestion, MAX_PASTE, type Understood, understand } from "../../core/ask/intake/index.ts";
import { type DomainName, displayName, relativeText } from "../../core/name/index.ts";
import { type DataOf, decodeUtf8, type ResourceRecord, txtValue } from "../../core/record/index.ts";
import { isSpf } from "../../core/spf/index.ts";
import { closest, EXIT, UserError } from "../../core/user-error.ts";
import { columns, count, visible, wrap } from "../../present/index.ts";
import { type Domain, KEY, openWorkspace, readText, type Workspace } from "../../workspace/index.ts";
import { type Arguments, type Context, command } from "../command.ts";

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
function serviceFor(workspace: Workspace, args: Arguments, text: string): { key: string; title: string; added: boolean } {
  const { services } = workspace.settings;
  const added = args["add-service"] as string | undefined;
  if (added !== undefined) {
    const key = added
      .toLowerCase()
      .normalize("NFKD")
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "");
    if (!KEY.test(key))
      throw new UserError(`--add-service “${visible(added)}” has no letters to make a key of: give the service's name.`);
    return { key, title: added, added: !Object.hasOwn(services, key) };
  }
  const named = args.service as string | undefined;
  if (named !== undefined) {
    const service = services[named];
    if (service !== undefined) return { key: named, title: service.title, added: false };
    const near = closest(named, Object.keys(services));
    throw new UserError(
      `“${visible(named)}” is no service of zandrel.yaml${near === undefined ? "" : ` (did you mean ${near}?)`}: correct it, or add the service with --add-service ${JSON.stringify(visible(named))}.`,
    );
  }
  const found = Object.entries(services).filter(([key, { title }]) =>
    new RegExp(`(^|[^a-z0-9])(${escapeRegex(title)}|${key})`, "i").test(text),
  );
  const [one] = found;
  if (one === undefined || found.length > 1)
    throw new UserError(
      `the paste does not say which service it is from: name it with --service (${Object.keys(services).join(", ") || "none is known yet"}), or add it with --add-service NAME.`,
    );
  return { key: one[0], title: one[1].title, added: false };
}

async function pasted(args: Arguments, context: Context): Promise<string> {
  const { type, host, value, priority } = args as Record<string, string | undefined>;
  if (value !== undefined) {
    if (args._.length > 0) throw new UserError("give either a file or --value, not both.");
    return `Type: ${type ?? "TXT"}\nHost: ${host ?? "@"}\n${priority === undefined ? "" : `Priority: ${priority}\n`}Value: ${value}\n`;
  }
  const [file, ...more] = args._;
  if (more.length > 0) throw new UserError("zandrel intake reads one file at a time: give one, or - for standard input.");
  if (file !== undefined && file !== "-") {
    return readText(resolve(context.cwd, file), "utf8", MAX_PASTE);
  }
  if (context.interactive) context.note("Paste what the service shows, then press Ctrl-D on an empty line:\n");
  return context.readInput(MAX_PASTE);
}

function parseChoices(args: Arguments): Map<string, string> {
  return new Map(
    ((args.choose as string[] | undefined) ?? []).map((text) => {
      const at = text.lastIndexOf("=");
      if (at < 1) throw new UserError(`--choose “${visible(text)}” wants QUESTION=ANSWER, as zandrel intake names them.`);
      return [text.slice(0, at), text.slice(at + 1)] as const;
    }),
  );
}

const questionText = ({ id, question, choices }: IntakeQuestion) =>
  `${question} ${choices.map(({ key, meaning }) => `--choose ${id}=${key} (${meaning})`).join(" or ")}`;

/** Understands the paste; on a terminal every doubt is asked, elsewhere it ends the command. */
async function understood(
  text: string,
  domain: Domain,
  workspace: Workspace,
  args: Arguments,
  context: Context,
): Promise<Understood> {
  const choices = parseChoices(args);
  for (;;) {
    const read = understand({ text, domain: domain.name, ttl: workspace.settings.defaults.ttl, choices });
    const [question] = read.questions;
    if (question === undefined || !context.interactive) return read;
    context.note(
      `${visible(question.question)}\n${question.choices.map(({ key, meaning }) => `  ${key}: ${visible(meaning)}\n`).join("")}`,
    );
    const answer = await context.prompt(`${question.choices.map(({ key }) => key).join(" or ")}? `);
    if (question.choices.some(({ key }) => key === answer)) choices.set(question.id, answer);
    else if (answer === "") throw new UserError("nothing was taken down, because the question was left open.");
  }
}

function freeId(wanted: string, domain: Domain): string {
  const taken = new Set(domain.asks.map((ask) => ask.id));
  let id = wanted;
  for (let n = 2; taken.has(id); n++) id = `${wanted}-${n}`;
  return id;
}

export default command<IntakeResult>({
  name: "intake",
  operands: "[FILE|-]",
  summary: "take down what a service asked for, from what its page shows, a file or options",
  examples: [
    ["zandrel intake", "paste on the terminal, finish with Ctrl-D"],
    ["zandrel intake seekmere.txt --service seekmere --dry-run", "show what would be taken down, write nothing"],
    ["zandrel intake --kit heronpost --input account=brackwater", "the asks of a kit, its blanks filled in"],
    ["zandrel intake --service seekmere --type TXT --host @ --value seekmere-owner=4f1d0c77a2", "without a paste"],
  ],
  options: {
    domain: { type: "string", requiresArg: true, describe: "the domain it is for, if the workspace has several" },
    service: { type: "string", requiresArg: true, describe: "the key of the service in zandrel.yaml" },
    "add-service": { type: "string", requiresArg: true, describe: "the name of a service that is not in zandrel.yaml yet" },
    purpose: { choices: PURPOSES, describe: "what it is for, if the records do not show it" },
    id: { type: "string", requiresArg: true, describe: "the id of the ask (SERVICE-PURPOSE if not given)" },
    type: { type: "string", requiresArg: true, describe: "record type, with --value" },
    host: { type: "string", requiresArg: true, describe: "host as the service shows it, with --value" },
    value: { type: "string", requiresArg: true, describe: "value as the service shows it" },
    priority: { type: "string", requiresArg: true, describe: "priority of an MX record, with --value" },
    kit: {
      type: "string",
      requiresArg: true,
      describe: "take down the asks of this kit: a name from the kits folder, or a file",
    },
    input: { type: "string", array: true, requiresArg: true, describe: "fill a blank of the kit: NAME=VALUE (repeatable)" },
    choose: {
      type: "string",
      array: true,
      requiresArg: true,
      describe: "answer a question beforehand: QUESTION=ANSWER (repeatable)",
    },
    "dry-run": { type: "boolean", default: false, describe: "show what was understood, write nothing" },
  },
  schema: intakeResult,
  async run(args, context) {
    const workspace = openWorkspace(context.cwd, args.workspace as string | undefined);
    if (args.kit !== undefined) return fromKit(args, workspace, context);
    const text = await pasted(args, context);
    const domain = domainFor(workspace, args, text);
    const service = serviceFor(workspace, args, text);
    const read = await understood(text, domain, workspace, args, context);
    const [problem] = read.problems;
    if (problem !== undefined) throw new UserError(`record ${problem.row} of the paste: ${visible(problem.because)}.`);
    if (read.layout === undefined)
      throw new UserError(
        "no record was found in the paste: copy the table with type, host and value from the service's page, or use --type, --host and --value.",
      );
    const dry = args["dry-run"] === true;
    if (read.questions.length > 0 && !dry)
      throw new UserError(`the paste can be read in two ways: ${read.questions.map(questionText).map(visible).join("; ")}.`);
    if (read.records.length === 0 && read.questions.length === 0)
      throw new UserError(
        "no record was found in the paste: copy the table with type, host and value from the service's page, or use --type, --host and --value.",
      );

    const purpose =
      (args.purpose as Purpose | undefined) ?? (read.records.length === 0 ? "ownership" : purposeOf(read.records, domain.name));
    const given = args.id as string | undefined;
    if (given !== undefined && !KEY.test(given))
      throw new UserError(`--id “${visible(given)}” is not usable: use small letters, digits and hyphens.`);
    if (given !== undefined && domain.asks.some((ask) => ask.id === given))
      throw new UserError(`the id ${given} is taken in ${domain.path}: give another with --id.`);
    const ask = {
      id: given ?? freeId(`${service.key}-${purpose}`, domain),
      service: service.key,
      purpose,
      domain: domain.name,
      after: [],
      ...withoutSpf(read.records, domain.name),
    };
    const twin = twinOf(ask, domain);
    if (twin !== undefined && !dry)
      throw new UserError(`the same records are taken down already as ${twin}: see zandrel status.`, EXIT.not);
    const shown: IntakeResult = {
      written: !dry,
      layout: read.layout,
      pasted: read.pasted.map(({ type = null, host = null, value = null }) => ({ type, host, value })),
      asks: [askJson(ask)],
      repairs: [...read.repairs],
      questions: read.questions.map((question) => ({ ...question, choices: [...question.choices] })),
      before: [],
      later: [],
    };
    if (!dry) await addAsks([ask], service, domain, workspace, context);
    return { exit: dry && read.questions.length > 0 ? EXIT.usage : EXIT.ok, result: shown };
  },
  present({ asks, pasted, repairs, questions, layout, written, before, later }, { style, width }) {
    const lines = asks.flatMap((ask) => [
      style.title(`${ask.id}: ${ask.service}, ${ask.purpose}, for ${displayName(ask.domain as DomainName)}`),
      ...columns(
        ask.records.map((one) => [
          one.type,
          displayName(one.name as DomainName),
          visible(typeof one.data === "string" ? one.data : Object.values(one.data).join(" ")),
        ]),
      ).map((line) => `  ${line}`),
      ...(ask.spf === null ? [] : [`  SPF term  ${visible(ask.spf)}`]),
      ...(ask.dmarc === null ? [] : [`  DMARC policy  ${ask.dmarc} or stricter`]),
    ]);
    const shown = (text: string | null) =>
      text === null ? "(none)" : `“${visible(text.length > 48 ? `${text.slice(0, 48)}…` : text)}”`;
    const sources = pasted.map(
      ({ type, host, value }) => `  ${style.quiet(`pasted as  type ${shown(type)}, host ${shown(host)}, value ${shown(value)}`)}`,
    );
    const mended = repairs.map(
      (repair) => `  ${style.careful("put right")}  “${visible(repair.was)}” is now “${visible(repair.is)}”: ${repair.because}`,
    );
    const open = questions.map((question) => `  ${style.careful("question")}  ${visible(questionText(question))}`);
    const first = before.map((one) => `  ${style.careful("first")}  ${wrap(visible(one), width - 9, "         ")}`);
    const kept = later.map(
      (one) => `  ${style.quiet(`later  ${one} needs what the service shows after the first proof; use the kit again then`)}`,
    );
    const records = asks.reduce(
      (sum, ask) => sum + ask.records.length + (ask.spf === null ? 0 : 1) + (ask.dmarc === null ? 0 : 1),
      0,
    );
    const summary = `${count(records, "record")} in ${count(asks.length, "ask")} understood from ${visible(layout ?? "nothing")}`;
    const next = written
      ? `taken down. Next: ${style.command(`zandrel draft ${withoutRootDot(asks[0]?.domain as DomainName)}`)}`
      : "nothing written, because of --dry-run.";
    return `${[...lines, ...sources, ...mended, ...open, ...first, ...kept].join("\n")}\n${summary}; ${next}\n`;
  },
});
