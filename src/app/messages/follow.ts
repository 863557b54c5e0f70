import { existsSync, readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import * as z from "zod";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { fieldsNamed, fieldValue, scanMessage } from "../../core/message/index.ts";
import { DISPOSITIONS, type Disposition, enhancedStatus } from "../../core/sending/index.ts";
import { askLink } from "../../net/service-link.ts";
import { type Journal, openMessages, type StoredMessage } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import type { ServiceAt } from "../services/services.ts";
import type { Session } from "../session.ts";
import { sentence } from "../shapes.ts";

/** A message after it was submitted: what became of it, and the copy that arrived. */

export const dispositionShape = z.object({
  state: z.enum(DISPOSITIONS),
  final: z.boolean(),
  status: z.string().nullable().describe("the enhanced status code of RFC 3463"),
  meaning: sentence.nullable().describe("the code in words"),
  reply: z.string().nullable().describe("what the receiving server said"),
});
type Shown = z.output<typeof dispositionShape>;

/** By what a message is found again: what the service calls it, and its own Message-ID without angle brackets. */
export interface MessageIds {
  readonly tracking: string;
  readonly messageId: string;
}

const FINAL: readonly Disposition[] = ["arrived", "returned", "reported"];

const shown = (state: Disposition, reply: string | null): Shown => {
  const status = reply === null ? undefined : enhancedStatus(reply);
  return {
    state,
    final: FINAL.includes(state),
    status: status?.code ?? null,
    meaning: status === undefined ? null : clause("status-code", status),
    reply,
  };
};

/** What became of a message so far: by the service's link, or by the events that were received. */
export async function dispositionOf(
  service: ServiceAt,
  follows: boolean,
  ids: MessageIds,
  session: Session,
  context: AppContext,
): Promise<Shown | undefined> {
  if (follows && service.link !== undefined) {
    const said = await askLink(service.link, "showMessage", { at: { id: ids.tracking } });
    if (said.ok) return shown(said.value.state, said.value.reply ?? null);
    if (said.error.kind !== "unknown") return undefined;
  }
  if (!session.workspace.hasEvents) return undefined;
  const store = await session.workspace.openEvents(context);
  try {
    const last = store
      .of(ids.messageId)
      .findLast(({ kind }) => kind === "arrived" || kind === "waiting" || kind === "returned" || kind === "reported");
    return last === undefined ? undefined : shown(last.kind as Disposition, last.reply);
  } finally {
    store.close();
  }
}

/** The copy that arrived, and in which folder of its mailbox; no folder is the inbox. */
export interface Copy {
  readonly message: StoredMessage;
  readonly folder: string | undefined;
}

/** A mailbox and the folders in it, as Maildir has them: `.Junk` beside `new` and `cur`. */
const foldersOf = (path: string): string[] =>
  statSync(path).isDirectory()
    ? readdirSync(path, { withFileTypes: true })
        .filter((entry) => entry.isDirectory() && /^\.[^.]/.test(entry.name))
        .map((entry) => entry.name)
    : [];

/** The message with this Message-ID in a file or a mailbox; undefined where it is not there yet. */
async function copyIn(path: string, messageId: string): Promise<Copy | undefined> {
  // A mailbox comes into being with its first message.
  if (!existsSync(path)) return undefined;
  const is = async (message: StoredMessage): Promise<boolean> => {
    const header = await scanMessage(message.source, () => []);
    return (
      header.ok &&
      fieldsNamed(header.value, "message-id").some((headerField) => fieldValue(headerField).includes(`<${messageId}>`))
    );
  };
  for (const folder of [undefined, ...foldersOf(path)]) {
    const stored = openMessages(folder === undefined ? path : join(path, folder));
    if (stored.kind === "message") {
      if (await is(stored.message)) return { message: stored.message, folder: undefined };
      throw new Failure("other-message", { path, messageId });
    }
    for await (const message of stored.messages) if (await is(message)) return { message, folder: folder?.slice(1) };
  }
  return undefined;
}

/** Seconds between two looks at what became of a message. */
const LOOK_EVERY = 5;

/**
 * Follows a message until its end is known and its copy is there, or until the time is over. Each new state is journalled.
 *
 * @param path where the copy will be, if somebody said so
 * @param until milliseconds since 1970, by the context's clock
 */
export async function follow(
  service: ServiceAt,
  follows: boolean,
  ids: MessageIds,
  { path, until, domain }: { readonly path: string | undefined; readonly until: number; readonly domain: string },
  session: Session,
  journal: Journal,
  context: AppContext,
): Promise<{ readonly disposition: Shown | undefined; readonly copy: Copy | undefined }> {
  const { clock } = context;
  let disposition: Shown | undefined;
  let copy: Copy | undefined;
  for (;;) {
    const seen = disposition?.final === true ? disposition : await dispositionOf(service, follows, ids, session, context);
    if (seen !== undefined && seen.state !== disposition?.state) {
      await context.progress(clause("told-message-state", { state: seen.state }));
      const { state, reply } = seen;
      journal.append(clock.now(), domain, { kind: "message-followed", messageId: ids.messageId, state, reply: reply ?? "" });
      disposition = seen;
    }
    copy ??= path === undefined ? undefined : await copyIn(path, ids.messageId);
    const ended = disposition === undefined ? !follows && !session.workspace.hasEvents : disposition.final;
    const cameBack = disposition?.state === "returned" || disposition?.state === "reported";
    if ((ended && (path === undefined || copy !== undefined || cameBack)) || clock.now() >= until) return { disposition, copy };
    await clock.sleep(LOOK_EVERY * 1000);
  }
}
