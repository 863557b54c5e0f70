import { resolve } from "node:path";
import { clause } from "../../core/clause/index.ts";
import { serveText } from "../../net/text-server.ts";
import { replaceFile } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import type { GuardResult } from "./guard.ts";

/** What the guard saw, as figures in some text format. */
export interface Figures {
  readonly contentType: string;
  take(result: GuardResult): void;
  text(): Promise<string>;
}

/** Shows figures at an address, in a file, or both; `take` takes over what one look came to. */
export async function showFigures(
  { metrics, textfile }: { readonly metrics: string | undefined; readonly textfile: string | undefined },
  figures: Figures,
  { cwd, tell }: Pick<AppContext, "cwd" | "tell">,
): Promise<{ take(result: GuardResult): Promise<void>; close(): Promise<void> }> {
  const server =
    metrics === undefined
      ? undefined
      : await serveText(metrics, "/metrics", figures.contentType, "metrics", () => figures.text());
  if (server !== undefined) await tell(clause("told-figures-at", { url: server.url }));
  return {
    async take(result) {
      figures.take(result);
      if (textfile !== undefined) replaceFile(resolve(cwd, textfile), await figures.text());
    },
    close: async () => server?.close(),
  };
}
