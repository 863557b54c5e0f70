import { confirm, log } from "@clack/prompts";
import { prove } from "../../app/asks/prove.ts";
import { type Look, watch } from "../../app/asks/watch.ts";
import type { Move } from "../../app/guide/next-move.ts";
import { type Published, publish } from "../../app/publishing/publish.ts";
import type { AskStanding } from "../../app/standing/survey.ts";
import type { SheetEntry } from "../../core/change/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, displayName, name as nameOf, relativeText, withoutRootDot } from "../../core/name/index.ts";
import { inWords } from "../../present/clauses/index.ts";
import { listOf } from "../../present/english.ts";
import { failureSentence } from "../../present/failures/index.ts";
import { changesText } from "../../present/publishing/draft.ts";
import { publishText } from "../../present/publishing/publish.ts";
import { watchTable } from "../../present/publishing/watch.ts";
import { terminalSafe, visible } from "../../present/safe.ts";
import { sheetText } from "../../present/sheet.ts";
import { deadline } from "../../present/time.ts";
import type { Context } from "../command.ts";

import { answered, type GuideRequest, Left, pick, show, talking, typed } from "./conversation.ts";

/** What a move of the conversation works on. */
export interface Moving {
  readonly domain: DomainName;
  readonly replace: Set<DomainName>;
  readonly putOff: Set<string>;
  readonly host: string;
  /** Names at which the DNS host takes something away by itself when it carries the draft out. */
  readonly alsoGoes: readonly string[];
  readonly request: GuideRequest;
  readonly context: Context;
}

/** Makes the next move with the person. */
export async function makeMove(move: Exclude<Move, { kind: "done" }>, moving: Moving): Promise<void> {
  switch (move.kind) {
    case "unknown":
      log.error(visible(inWords(move.because)));
      return retryOrLeave("The DNS could not be asked. Try again?");
    case "decide":
      return decide(move, moving);
    case "publish":
      return publishNow(move, moving);
    case "enter":
      return enter(moving);
    case "missed":
      return missed(moving);
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

/** What is in the way of a service: replace what is there, decide one by one, or put its asks off. */
async function decide({ clashes, asks }: Extract<Move, { kind: "decide" }>, { replace, putOff }: Moving): Promise<void> {
  for (const { because, breaks, options } of clashes) {
    show("In the way", `${visible(inWords(because))}\n\nWhat would break: ${visible(inWords(breaks))}`);
    const others = options.map(inWords).filter((option) => !option.includes("--replace"));
    if (others.length > 0) log.message(`Other ways: ${visible(others.join("; "))}`);
  }
  const [first] = clashes;
  const names = [...new Set(clashes.map(({ name }) => displayName(name)))];
  const chosen = await pick("What should happen?", [
    ...(first.replaceable ? [{ value: "replace" as const, label: `replace what is at ${listOf(names)}` }] : []),
    ...(names.length > 1
      ? [{ value: "first" as const, label: `replace only what is at ${displayName(first.name)}, and ask for the others` }]
      : []),
    { value: "later" as const, label: `put ${asks.join(" and ")} off, go on with the rest` },
  ]);
  if (chosen === "later") for (const id of asks) putOff.add(id);
  else for (const { name } of chosen === "replace" ? clashes : [first]) replace.add(name);
}

const publishOptionsOf = ({ request, replace, putOff }: Moving, only: readonly string[]) => ({
  ...request,
  replace: [...replace],
  only: putOff.size === 0 ? [] : only,
  into: undefined,
  sheet: undefined,
  check: false,
  meant: [],
  lowerTtl: false,
  open: true,
  copy: false,
  linkOnly: false,
});

/** Shows what would change, and carries it out where the person agrees; what was refused can be tried once more, or entered by hand. */
async function publishNow({ changes }: Extract<Move, { kind: "publish" }>, moving: Moving): Promise<void> {
  const { domain, host, context, putOff, replace, alsoGoes } = moving;
  show("What would change", changesText(changes, context));
  const agreed = await pick(`Publish it at ${visible(host)}?`, [
    { value: "yes" as const, label: "yes" },
    { value: "no" as const, label: "not now" },
  ]);
  if (agreed === "no") throw new Left();
  // What the host takes away by itself was among what would change.
  for (const name of alsoGoes) replace.add(nameOf(name));
  const only = [...new Set(changes.flatMap(({ asks }) => asks))].filter((id) => !putOff.has(id));
  for (;;)
    try {
      const { result } = await publish(
        { ...publishOptionsOf(moving, only), operands: [withoutRootDot(domain)] },
        talking(context),
      );
      const refused = (result?.published ?? []).filter(({ failed }) => failed !== false);
      for (const one of result?.published ?? []) showPublished(one, context);
      if (refused.length === 0) return;
      const next = await pick("What now?", [
        { value: "again" as const, label: "once more: the page of the DNS host opens again" },
        { value: "hand" as const, label: "I enter by hand what is left" },
        { value: "later" as const, label: "I come back later" },
      ]);
      if (next === "later") throw new Left();
      if (next === "hand") return;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      log.error(failureSentence(error));
      const sets = error.code === "approval-removes" ? (error.params as { sets: readonly { name: DomainName }[] }).sets : [];
      if (sets.length === 0) return retryOrLeave("Look again, and try once more?");
      // The host knows a newer copy of the template than the ask: what it takes away is agreed to by name.
      const names = [...new Set(sets.map(({ name }) => displayName(name)))];
      const goes = await pick(`May what it removes at ${listOf(names)} go?`, [
        { value: "yes" as const, label: "yes, it may go" },
        { value: "no" as const, label: "no, I come back later" },
      ]);
      if (goes === "no") throw new Left();
      for (const { name } of sets) replace.add(name);
    }
}

/** What became of one domain: why it was refused, what is to be entered. */
function showPublished(one: Published, context: Context): void {
  const because = visible(inWords(one.because));
  if (one.sheet.length === 0) {
    log.success(`${because}.`);
    return;
  }
  if (one.failed !== false) log.warn(`Not done: ${because}.`);
  show(`To enter at ${visible(one.to)}`, sheetText(one.sheet as SheetEntry[], context.style));
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

/** Shows what is missing beside what was published, and hears of each name whether it was meant. */
async function missed(moving: Moving): Promise<void> {
  const { domain, host, context } = moving;
  const check = (meant: readonly string[]) =>
    publish({ ...publishOptionsOf(moving, []), check: true, meant, operands: [withoutRootDot(domain)] }, talking(context));
  const { result } = await check([]);
  if (result !== undefined) show("More was changed than asked for", publishText({ ...result, check: [] }, context));
  const chosen = await pick("What about it?", [
    { value: "again" as const, label: `it is mended at ${visible(host)}; look again` },
    { value: "meant" as const, label: "it was meant, or some of it was" },
    { value: "later" as const, label: "I come back later" },
  ]);
  if (chosen === "later") throw new Left();
  if (chosen !== "meant") return;
  const names = [...new Set((result?.lost ?? []).map(({ name }) => relativeText(name, domain)))];
  const meant: string[] = [];
  for (const name of names)
    if (names.length === 1 || answered(await confirm({ message: `Was it meant at ${visible(name)}?` }))) meant.push(name);
  await check(meant);
}

async function mend({ ask, causes, because }: AskStanding, { putOff }: Moving): Promise<void> {
  show(
    ask.id,
    [
      visible(inWords(because)),
      ...causes.flatMap((cause) => [
        ...(inWords(cause.because) === inWords(because) ? [] : [`\n${visible(inWords(cause.because))}`]),
        `do: ${visible(inWords(cause.remedy))}`,
      ]),
    ].join("\n"),
  );
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
    log.success(`${ask.id}: ${visible(inWords(shown.because))}`);
    return;
  }
  log.message(visible(inWords(shown?.asked.reason)));
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
