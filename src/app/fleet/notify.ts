import { createHash } from "node:crypto";
import type { Clause } from "../../core/clause/index.ts";
import { clause, NOTHING } from "../../core/clause/index.ts";
import type { NoticeKind, WatchedKind } from "../../core/guard/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import { type Journal, type NoticeWay, readSecret, type Workspace } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import type { DnsContext, DnsRequest } from "../dns/context.ts";
import { mailThrough } from "../services/mailing.ts";
import { domainOfAddress } from "../services/services.ts";

/** Something the guard has to tell; its number is the same however often it is told. */
export interface Notice {
  readonly id: number;
  /** Milliseconds since 1970. */
  readonly at: number;
  readonly domain: DomainName;
  readonly notice: NoticeKind;
  readonly watched: WatchedKind;
  readonly subject: string;
  readonly because: Clause;
  /** The command or step that mends it; empty where there is nothing to do. */
  readonly next: Clause;
}

/** How notices are put into words; the words are the interface's. */
export interface NoticeWording {
  /** A line about all of them. */
  headline(notices: readonly Notice[]): string;
  /** All of them as a text of several lines. */
  text(notices: readonly Notice[], now: number): string;
  /** One of them as a sentence. */
  sentence(notice: Notice): string;
  /** A clause in words. */
  words(said: Clause): string;
  /** Why they could not be told, as a clause. */
  failure(failure: unknown): string;
}

/** Whoever is told, and how it went. */
export interface Teller {
  /** What people call it; it names no path and no argument, which may hold secrets. */
  readonly title: Clause;
  /** By which the journal knows it. */
  readonly key: string;
  tell(notices: readonly Notice[]): Promise<{ readonly told: boolean; readonly because: Clause }>;
}

/** What tellers work with. */
export interface TellingContext {
  readonly workspace: Workspace;
  readonly journal: Journal;
  readonly dns: DnsContext;
  readonly request: DnsRequest & { readonly workspace: string | undefined };
  readonly context: AppContext;
  readonly wording: NoticeWording;
}

/** The same notices as other programs read them (docs/guard.md). */
function asJson(notices: readonly Notice[], { workspace, context, wording }: TellingContext): object {
  return {
    contract: "zandrel-notices",
    version: 1,
    at: new Date(context.clock.now()).toISOString(),
    organisation: workspace.settings.organisation,
    notices: notices.map((one) => ({
      ...{ ...one, at: new Date(one.at).toISOString() },
      ...{ because: wording.words(one.because), next: wording.words(one.next), sentence: wording.sentence(one) },
    })),
  };
}

async function post(way: Extract<NoticeWay, { way: "post" }>, notices: readonly Notice[], telling: TellingContext) {
  const { signPost } = await import("../../net/event-feed.ts");
  const { workspace, context, request } = telling;
  const secret = readSecret(way.secret, clause("secret-notices"), workspace.folder, context.env);
  const body = Buffer.from(JSON.stringify(asJson(notices, telling)));
  const headers = await signPost({ id: way.id, secret }, way.url, body, Math.floor(context.clock.now() / 1000));
  const { host } = new URL(way.url);
  try {
    const answer = await fetch(way.url, {
      ...{ method: "POST", headers, body: new Uint8Array(body), redirect: "error" },
      signal: AbortSignal.timeout(request.timeout),
    });
    await answer.body?.cancel();
    return { told: answer.ok, because: clause("notice-http-status", { host, status: answer.status }) };
  } catch (error) {
    const { name, message, cause } = error as Error & { cause?: NodeJS.ErrnoException };
    const because =
      name === "TimeoutError"
        ? clause("notice-no-answer", { host, seconds: request.timeout / 1000 })
        : clause("notice-unreachable", { host, why: cause?.code ?? cause?.message ?? message });
    return { told: false, because };
  }
}

async function run(way: Extract<NoticeWay, { way: "program" }>, notices: readonly Notice[], telling: TellingContext) {
  const { runProgram } = await import("../../net/helper.ts");
  const { workspace, context, request } = telling;
  const program = clause("program-named", { command: way.command[0] ?? "" });
  const options = { cwd: workspace.folder, env: context.env, timeout: Math.max(request.timeout, 30_000) };
  const ran = await runProgram(way.command, asJson(notices, telling), program, options);
  return ran.ok
    ? { told: true, because: clause("program-took-notices", { program }) }
    : { told: false, because: ran.error.detail };
}

/** A message to one recipient; the same notices have the same Message-ID, so that a mailbox may tell them apart from others. */
async function mail(way: Extract<NoticeWay, { way: "mail" }>, to: string, notices: readonly Notice[], telling: TellingContext) {
  const { request, context, wording } = telling;
  const ids = notices.map(({ id }) => id);
  const content = () => ({
    subject: wording.headline(notices),
    text: wording.text(notices, context.clock.now()),
    messageId: `notices-${Math.min(...ids)}-${Math.max(...ids)}.${Buffer.from(to).toString("hex").slice(0, 40)}@${domainOfAddress(way.from).slice(0, -1)}`,
  });
  const [mailed] = await mailThrough({ ...way, to: [to] }, content, telling, request, context);
  return { told: mailed?.sent === true, because: mailed?.because ?? NOTHING };
}

/** Who is told in one way, each by itself: what one of them was told is not told again because another could not be. */
export function tellersOf(way: NoticeWay, telling: TellingContext): Teller[] {
  const teller = (title: Clause, about: unknown, tell: Teller["tell"]): Teller => ({
    title,
    key: createHash("sha256").update(JSON.stringify(about)).digest("hex").slice(0, 16),
    tell,
  });
  switch (way.way) {
    case "post":
      return [
        teller(clause("notice-way-post", { host: new URL(way.url).host }), way.url, (notices) => post(way, notices, telling)),
      ];
    case "program":
      return [
        teller(clause("notice-way-program", { command: way.command[0] ?? "" }), way.command, (notices) =>
          run(way, notices, telling),
        ),
      ];
    case "mail":
      return way.to.map((to) =>
        teller(clause("notice-way-mail", { to }), [way.service, to], (notices) => mail(way, to, notices, telling)),
      );
  }
}
