import type { PageToOpen } from "../app/context.ts";
import { displayName } from "../core/name/index.ts";
import { listOf } from "../present/english.ts";
import { visible } from "../present/safe.ts";
import { hasBrowser } from "./surroundings.ts";

/** What a person reads before they are sent to somebody's page: whose it is, where it really leads, and how long they have. */
export async function pageText(
  { title, host, link, open, minutes, publishes, removes }: PageToOpen,
  env: Readonly<Record<string, string | undefined>>,
  platform: string = process.platform,
): Promise<{ readonly text: string; readonly opens: boolean }> {
  const opens = open && hasBrowser(env, platform);
  const how = opens ? "It is opened in your browser." : "Open it in your browser:";
  const wait =
    minutes === 0 ? "Nobody waits here for it." : `Waiting up to ${minutes} minutes. Press Ctrl-C to stop; nothing is lost.`;
  let code = "";
  if (open && !opens) {
    const { renderUnicodeCompact } = await import("uqr");
    code = `\nor with a telephone that can reach it:\n${renderUnicodeCompact(link, { border: 1 })}\n`;
  }
  const sets = (of: PageToOpen["publishes"]) => listOf(of.map(({ name, type }) => `${type} of ${displayName(name)}`));
  const does =
    publishes.length === 0
      ? ""
      : `When you approve it, ${visible(title)} publishes ${visible(sets(publishes))}${removes.length === 0 ? "" : `, and by its own rules removes these records: ${visible(sets(removes))}`}.\n`;
  return {
    text: `${does}Approve it on the page of ${visible(title)}, which is at ${visible(host)}. ${how}\n\n${visible(link)}\n${code}\n${wait}\n`,
    opens,
  };
}

/** Shows where a person has something to do, and opens it where they want that. */
export async function showApprovalPage(
  page: PageToOpen,
  env: Readonly<Record<string, string | undefined>>,
  say: (text: string) => void,
): Promise<void> {
  const { text, opens } = await pageText(page, env);
  say(text);
  if (page.copy) {
    const { default: clipboard } = await import("clipboardy");
    const copied = await clipboard.write(page.link).then(
      () => true,
      () => false,
    );
    say(copied ? "The address is copied.\n" : "The address could not be copied on this machine; take it from above.\n");
  }
  if (!opens) return;
  const { default: open } = await import("open");
  await open(page.link).catch(() => say("No browser could be opened; use the address above.\n"));
}
