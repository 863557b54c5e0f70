import { resolve } from "node:path";
import { clause } from "../../core/clause/index.ts";
import { serveTexts } from "../../net/text-server.ts";
import { replaceFile } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import type { GuardResult } from "./guard.ts";

/** What the guard saw, as figures in some text format. */
export interface Figures {
  readonly contentType: string;
  /** Whether looks are made in time, as a sentence; how late the next one is, in milliseconds. */
  health(late: number): { readonly text: string; readonly isWell: boolean };
  take(result: GuardResult): void;
  text(): Promise<string>;
}

/** Whether somebody who looks again and again still does, by how late the next look is (milliseconds). */
export interface Health {
  late(): number;
}

/**
 * Shows figures at an address, in a file, or both; `take` takes over what one look came to. At the address, `/health` says whether the
 * next look is late.
 */
export async function showFigures(
  { metrics, textfile }: { readonly metrics: string | undefined; readonly textfile: string | undefined },
  figures: Figures,
  health: Health,
  { cwd, tell }: Pick<AppContext, "cwd" | "tell">,
): Promise<{ take(result: GuardResult): Promise<void>; close(): Promise<void> }> {
  const server =
    metrics === undefined
      ? undefined
      : await serveTexts(
          metrics,
          {
            "/metrics": { contentType: figures.contentType, text: async () => ({ text: await figures.text(), isWell: true }) },
            "/health": { contentType: "text/plain; charset=utf-8", text: async () => figures.health(health.late()) },
          },
          "metrics",
        );
  if (server !== undefined) await tell(clause("told-figures-at", { url: server.url }));
  return {
    async take(result) {
      figures.take(result);
      if (textfile !== undefined) replaceFile(resolve(cwd, textfile), await figures.text());
    },
    close: async () => server?.close(),
  };
}
