import { cancel, confirm, intro, isCancel, log, note, outro, select, text } from "@clack/prompts";
import { initialise } from "../app/asks/init.ts";
import { intake } from "../app/asks/intake.ts";
import { prove } from "../app/asks/prove.ts";
import type { AskStanding } from "../app/asks/survey.ts";
import type { Ended, PersonQuestion } from "../app/context.ts";
import type { DnsOptions } from "../app/dns/context.ts";
import { lookForGuide } from "../app/guide/look.ts";
import { type Move, nextMove } from "../app/guide/next-move.ts";
import { publish } from "../app/publishing/publish.ts";
import { type Look, watch } from "../app/publishing/watch.ts";
import type { SheetEntry } from "../core/change/index.ts";
import { Failure } from "../core/failure.ts";
import { type DomainName, displayName, name, parseName, withoutRootDot } from "../core/name/index.ts";
import { intakeText, understoodText } from "../present/asks/intake.ts";
import { promptFor } from "../present/asks/intake-words.ts";
import { failureSentence } from "../present/failures.ts";
import { changesText } from "../present/publishing/draft.ts";
import { publishText } from "../present/publishing/publish.ts";
import { reversalText } from "../present/publishing/undo.ts";
import { watchTable } from "../present/publishing/watch.ts";
import { terminalSafe, visible } from "../present/safe.ts";
import { sheetText } from "../present/sheet.ts";
import { deadline } from "../present/time.ts";
import { findWorkspace, openWorkspace } from "../workspace/index.ts";
import type { Context } from "./command.ts";
import { readPaste } from "./paste.ts";

type GuideRequest = DnsOptions & { readonly operands: readonly string[]; readonly workspace: string | undefined };

/** The person left; everything that was done so far is kept. */
class Left extends Error {}

/** An answer, or the end of the conversation. */
function answered<T>(answer: T | symbol): T {
  if (isCancel(answer)) throw new Left();
  return answer as T;
}

/** A line that the person types. */
const typed = async (options: Parameters<typeof text>[0]): Promise<string> =>
  answered<string>((await text(options)) as string | symbol);

const pick = async <T extends string>(
  message: string,
  options: readonly { readonly value: T; readonly label: string; readonly hint?: string }[],
): Promise<T> => answered(await select<string>({ message, options: options.map((one) => ({ ...one })) })) as T;

/** Shows a block of text beside the line of the conversation. */
const show = (title: string, body: string): void => note(terminalSafe(body.trimEnd()), title);

/** The context of the use cases inside the conversation: questions become its prompts. */
const talking = (context: Context, paste = ""): Context => ({
  ...context,
  interactive: true,
  note: (message) => log.message(terminalSafe(message.trimEnd())),
  readInput: async () => paste,
  prompt: (message) => typed({ message: message.trim(), defaultValue: "" }),
  async choose(question: PersonQuestion) {
    const shown =
      question.kind === "save-paste"
        ? understoodText(question.intake, context)
        : question.kind === "undo"
          ? reversalText(question.changes)
          : "";
    const { text: asked, choices, usual } = promptFor(question, "");
    if (shown !== "") show(question.kind === "undo" ? "What is taken back" : "Read as", shown);
    const ordered =
      usual === undefined
        ? choices
        : [...choices.filter(({ key }) => key === usual), ...choices.filter(({ key }) => key !== usual)];
    return pick(
      asked.replace("This is taken back:\n", ""),
      ordered.map(({ key, label }) => ({
        value: key,
        label: label === "" ? key : label,
        ...(label === "" ? {} : { hint: key }),
      })),
    );
  },
});

/** One conversation that carries a request through, until everything is proven or the person leaves. */
export async function converse(request: GuideRequest, context: Context): Promise<Ended> {
  intro("Zandrel: from what a service shows to proven");
  try {
    const domain = await domainOf(request, context);
    return await carryThrough(domain, request, context);
  } catch (error) {
    if (error instanceof Left) {
      cancel("Left. Everything so far is saved; zandrel guide takes up where it stood.");
      return "problem";
    }
    throw error;
  }
}

/** The domain the conversation is about: named, picked, or new. */
async function domainOf(request: GuideRequest, context: Context): Promise<DomainName> {
  const [given] = request.operands;
  const folder = findWorkspace(context.cwd, request.workspace);
  const domains = folder === undefined ? [] : openWorkspace(context.cwd, request.workspace).domains.map((one) => one.name);
  const parsed = given === undefined ? undefined : parseName(given);
  if (parsed?.ok === true && domains.includes(parsed.value)) return parsed.value;
  if (given === undefined && domains.length > 0) {
    const chosen = await pick("Which domain?", [
      ...domains.map((domain) => ({ value: withoutRootDot(domain), label: displayName(domain) })),
      { value: "another", label: "another domain, which is not here yet" },
    ]);
    if (chosen !== "another") return name(chosen);
  }
  return newDomain(given, folder === undefined, request, context);
}

/** Adds a domain, and a workspace where there is none; what cannot be read is asked again. */
async function newDomain(
  given: string | undefined,
  first: boolean,
  request: GuideRequest,
  context: Context,
): Promise<DomainName> {
  if (first) log.message("There is no workspace here yet. A workspace is a folder with what is wanted and what happened.");
  for (let asked = given; ; asked = undefined) {
    const domain = asked ?? (await typed({ message: "Which domain do you own?", placeholder: "brackwater.example" }));
    try {
      const options = {
        resolver: request.resolver,
        organisation: undefined,
        dnsHost: undefined,
        role: "main" as const,
        settings: undefined,
      };
      const { result } = await initialise({ ...options, operands: [domain], workspace: request.workspace }, context);
      log.success(`Saved in ${result?.folder ?? "this folder"}.`);
      return name(result?.domain ?? domain);
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      log.error(failureSentence(error));
    }
  }
}

/** Moves on from one step to the next until nothing is left. */
async function carryThrough(domain: DomainName, request: GuideRequest, context: Context): Promise<Ended> {
  const replace = new Set<DomainName>();
  const putOff = new Set<string>();
  let offered = false;
  for (;;) {
    const look = await lookForGuide(domain, replace, request, context);
    for (const line of look.said) log.info(visible(line));
    const move = nextMove({ ...look, putOff, now: context.clock.now() });
    if (look.asks.length === 0 || (move.kind === "done" && !offered)) {
      offered = true;
      if (await takeIn(domain, look.asks.length === 0, request, context)) continue;
      if (look.asks.length === 0) throw new Left();
    }
    if (move.kind === "done") return farewell(move.open, domain);
    await makeMove(move, { domain, replace, putOff, host: look.host, request, context });
  }
}

/** Takes in what a service asks for; false where nothing is to be taken in. */
async function takeIn(domain: DomainName, needed: boolean, request: GuideRequest, context: Context): Promise<boolean> {
  const chosen = await pick(needed ? "What does the service ask for?" : "Is there something else to take in?", [
    ...(needed ? [] : [{ value: "nothing" as const, label: "no, that is all" }]),
    { value: "paste" as const, label: "I paste what its page shows" },
    { value: "kit" as const, label: "I use a kit of this workspace" },
  ]);
  if (chosen === "nothing") return false;
  const options = {
    ...{
      service: undefined,
      addService: undefined,
      purpose: undefined,
      id: undefined,
      insteadOf: undefined,
      type: undefined,
      host: undefined,
    },
    ...{
      value: undefined,
      priority: undefined,
      ttl: undefined,
      kit: undefined,
      input: [],
      choose: [],
      acceptLeftover: false,
      dryRun: false,
    },
    ...{ domain: withoutRootDot(domain), operands: ["-"], workspace: request.workspace },
  };
  try {
    if (chosen === "kit") {
      const kits = await kitNames(context, request);
      if (kits.length === 0) {
        log.warn("There is no kit in this workspace yet: kits are files in its folder kits.");
        return true;
      }
      const kit = await pick(
        "Which kit?",
        kits.map((value) => ({ value, label: value })),
      );
      const asking: Context = { ...talking(context), prompt: (message) => typed({ message: message.trim() }) };
      const { result } = await intake({ ...options, operands: [], kit }, asking);
      if (result !== undefined) show("Saved", intakeText(result, context));
      return true;
    }
    const paste = await readPaste(
      process.stdin,
      (echoed) => void process.stderr.write(echoed),
      () => log.message("Paste it here, then type a line with only a dot."),
    );
    if (paste === undefined) throw new Left();
    const service = await serviceOf(paste, request, context);
    const { result } = await intake({ ...options, ...service }, talking(context, paste));
    if (result?.written === true) log.success("Saved.");
    else if ((result?.already.length ?? 0) > 0) log.info("That is saved already.");
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    log.error(failureSentence(error));
  }
  return true;
}

const kitNames = async (context: Context, request: GuideRequest): Promise<string[]> => {
  const { kitsOf } = await import("../workspace/index.ts");
  const folder = findWorkspace(context.cwd, request.workspace);
  return folder === undefined ? [] : (await kitsOf(folder)).map(({ service }) => service);
};

/** The service of a paste that names none of those that are known: picked from the list, or new. */
async function serviceOf(
  paste: string,
  request: GuideRequest,
  context: Context,
): Promise<{ service: string | undefined; addService: string | undefined }> {
  const { services } = openWorkspace(context.cwd, request.workspace).settings;
  const named = Object.entries(services).filter(
    ([key, { title }]) => paste.toLowerCase().includes(key) || paste.toLowerCase().includes(title.toLowerCase()),
  );
  if (named.length === 1) return { service: named[0]?.[0], addService: undefined };
  const known = Object.entries(services).map(([value, { title }]) => ({ value, label: title }));
  const chosen =
    known.length === 0
      ? "another"
      : await pick("Which service is it from?", [...known, { value: "another", label: "another one" }]);
  if (chosen !== "another") return { service: chosen, addService: undefined };
  return { service: undefined, addService: await typed({ message: "What is the service called?", placeholder: "Seekmere" }) };
}

interface Moving {
  readonly domain: DomainName;
  readonly replace: Set<DomainName>;
  readonly putOff: Set<string>;
  readonly host: string;
  readonly request: GuideRequest;
  readonly context: Context;
}

async function makeMove(move: Exclude<Move, { kind: "done" }>, moving: Moving): Promise<void> {
  switch (move.kind) {
    case "unknown":
      log.error(visible(move.because));
      return retryOrLeave("The DNS could not be asked. Try again?");
    case "decide":
      return decide(move, moving);
    case "publish":
      return publishNow(move, moving);
    case "enter":
      return enter(moving);
    case "mend":
      return mend(move.standing, moving);
    case "wait":
      return waitFor(move.by, moving);
    case "confirm":
      return confirmed(move.standing, moving);
  }
}

async function retryOrLeave(message: string): Promise<void> {
  if (!answered(await confirm({ message }))) throw new Left();
}

/** One clash: replace what is there, or put the ask off. */
async function decide({ clash, asks }: Extract<Move, { kind: "decide" }>, { replace, putOff }: Moving): Promise<void> {
  show("In the way", `${visible(clash.because)}\n\nWhat would break: ${visible(clash.breaks)}`);
  const others = clash.options.filter((option) => !option.includes("--replace"));
  if (others.length > 0) log.message(`Other ways: ${visible(others.join("; "))}`);
  const chosen = await pick("What should happen?", [
    ...(clash.replaceable ? [{ value: "replace" as const, label: `replace what is at ${displayName(clash.name)}` }] : []),
    { value: "later" as const, label: `put ${asks.join(" and ")} off, go on with the rest` },
  ]);
  if (chosen === "replace") replace.add(clash.name);
  else for (const id of asks) putOff.add(id);
}

const publishOptionsOf = ({ request, replace, putOff }: Moving, only: readonly string[]) => ({
  ...request,
  replace: [...replace],
  only: putOff.size === 0 ? [] : only,
  into: undefined,
  sheet: undefined,
  check: false,
  meant: false,
  lowerTtl: false,
});

/** Shows what would change, and carries it out where the person agrees. */
async function publishNow({ changes }: Extract<Move, { kind: "publish" }>, moving: Moving): Promise<void> {
  const { domain, host, context, putOff } = moving;
  show("What would change", changesText(changes, context));
  const agreed = await pick(`Publish it at ${visible(host)}?`, [
    { value: "yes" as const, label: "yes" },
    { value: "no" as const, label: "not now" },
  ]);
  if (agreed === "no") throw new Left();
  const only = [...new Set(changes.flatMap(({ asks }) => asks))].filter((id) => !putOff.has(id));
  try {
    const { result } = await publish({ ...publishOptionsOf(moving, only), operands: [withoutRootDot(domain)] }, talking(context));
    for (const one of result?.published ?? []) {
      if (one.sheet.length === 0) log.success(`${visible(one.because)}.`);
      else show(`To enter at ${visible(one.to)}`, sheetText(one.sheet as SheetEntry[], context.style));
    }
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    log.error(failureSentence(error));
    await retryOrLeave("Look again, and try once more?");
  }
}

/** Waits until a sheet is entered, and says what is still wrong. */
async function enter(moving: Moving): Promise<void> {
  const { domain, host, context } = moving;
  const chosen = await pick(`Is everything entered and saved at ${visible(host)}?`, [
    { value: "check" as const, label: "yes, check it" },
    { value: "later" as const, label: "not yet; I come back later" },
  ]);
  if (chosen === "later") throw new Left();
  const { result } = await publish(
    { ...publishOptionsOf(moving, []), check: true, operands: [withoutRootDot(domain)] },
    talking(context),
  );
  if (result !== undefined) show("What is there", publishText(result, context));
}

async function mend({ ask, causes, because }: AskStanding, { putOff }: Moving): Promise<void> {
  show(ask.id, [visible(because), ...causes.map((one) => `\n${visible(one.because)}\ndo: ${visible(one.remedy)}`)].join("\n"));
  const chosen = await pick("Is that put right?", [
    { value: "look" as const, label: "yes, look again" },
    { value: "later" as const, label: `put ${ask.id} off` },
  ]);
  if (chosen === "later") putOff.add(ask.id);
}

/** Follows the spread; Ctrl-C leaves the conversation. */
async function waitFor(by: number | undefined, { domain, request, context }: Moving): Promise<void> {
  const until = by === undefined ? "" : ` Everyone sees it by ${deadline(by, context.clock.now())} at the latest.`;
  const leaving = new AbortController();
  const leave = () => leaving.abort();
  // It stays until the end: whoever redraws lines ends the program where nobody else listens.
  process.on("SIGINT", leave);
  log.message(`Now the change spreads.${until} Leave with Ctrl-C if you like.`);
  const live = (await import("log-update")).default;
  try {
    const following = { ...request, operands: [withoutRootDot(domain)], for: undefined, until: "proven" as const };
    const looked = (look: Look) => live(terminalSafe(watchTable(look, context)));
    await watch(following, context, { changed: () => undefined, looked }, leaving.signal);
    const now = context.clock.now();
    // The service's own resolver may hold the old answer until then.
    if (by !== undefined && now < by) await context.clock.sleep(by - now, leaving.signal);
  } finally {
    process.off("SIGINT", leave);
    live.done();
  }
  if (leaving.signal.aborted) throw new Left();
}

/** Asks the service, or the person who sees its page. */
async function confirmed({ ask }: AskStanding, { domain, request, putOff, context }: Moving): Promise<void> {
  const options = {
    ...request,
    operands: [`${withoutRootDot(domain)}/${ask.id}`],
    force: false,
    confirmed: false,
    note: undefined,
  };
  const { result } = await prove(options, talking(context));
  const [shown] = result?.asks ?? [];
  if (shown?.verdict === "proven") {
    log.success(`${ask.id}: ${visible(shown.because)}`);
    return;
  }
  log.message(visible(shown?.asked.reason ?? ""));
  const chosen = await pick(`Press verify on the page of ${ask.service}. What does it say?`, [
    { value: "confirmed" as const, label: "it is confirmed" },
    { value: "again" as const, label: "not yet; I try again" },
    { value: "later" as const, label: "I do that later" },
  ]);
  if (chosen === "later") putOff.add(ask.id);
  if (chosen !== "confirmed") return;
  const said = await typed({
    message: "What does the page show? It is kept as evidence.",
    defaultValue: "",
    placeholder: "green tick",
  });
  await prove({ ...options, confirmed: true, note: said === "" ? undefined : said }, talking(context));
  log.success(`${ask.id} is proven.`);
}

function farewell(open: readonly AskStanding[], domain: DomainName): Ended {
  if (open.length === 0) {
    outro(`Everything asked for ${displayName(domain)} is proven.`);
    return "fine";
  }
  show("What remains", open.map(({ ask, state, because }) => `${ask.id}: ${state}, ${visible(because)}`).join("\n"));
  outro("zandrel guide goes on with it later.");
  return "problem";
}
