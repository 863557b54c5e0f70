import { cpSync } from "node:fs";
import { Readable } from "node:stream";
import type { PersonQuestion } from "../src/app/context.ts";
import type { Command, Context } from "../src/cli/command.ts";
import { entryFor } from "../src/cli/help.ts";
import { requestOf } from "../src/cli/run.ts";
import { parseClock } from "../src/clock.ts";
import { allInWords, inWords } from "../src/present/clauses/index.ts";
import { styleFor } from "../src/present/style.ts";
import { folderWith } from "./zandrel.ts";

/** Where a use case runs, with every port of it replaced. */
export interface Here {
  readonly folder: string;
  /** What standard input holds. */
  readonly input?: string;
  /** Whether a browser of this machine is at hand; it is, where that is not said. */
  readonly browsesHere?: boolean;
  /** What the person at the terminal answers, in order; without it nobody sits there. */
  readonly answers?: readonly string[];
  /** Milliseconds since 1970; a Monday morning of the story without it. */
  readonly now?: number;
  readonly env?: Readonly<Record<string, string>>;
}

/** What became of it: how it ended, what it gave back in words, what it said on the way, and what it asked. */
export interface Used {
  readonly ended: string;
  // biome-ignore lint/suspicious/noExplicitAny: tests look into whatever shape is there
  readonly result: any;
  readonly told: readonly string[];
  readonly asked: readonly string[];
  readonly written: string;
}

export const MONDAY = Date.parse("2026-03-02T09:00:00Z");

/** The workspace of the demo, with the zones of its world beside it. */
export function demoHere(more: Readonly<Record<string, string>> = {}): Here {
  const folder = folderWith();
  cpSync(new URL("../demo/brackwater", import.meta.url).pathname, folder, { recursive: true });
  cpSync(new URL("../demo/mail", import.meta.url).pathname, folder, { recursive: true });
  cpSync(new URL("../demo/reports", import.meta.url).pathname, `${folder}/reports`, { recursive: true });
  return { folder: folderWith(more, folder) };
}

/** The zones after everything is published, and the services' own. */
export const WORLD = ["--zone-file", "authenticated.zone", "--zone-file", "services.zone"] as const;

/** Runs one use case on the request that a command line stands for; what it throws is thrown. */
export async function useCase(here: Here, ...argv: readonly string[]): Promise<Used> {
  const found = entryFor(argv);
  if (found === undefined) throw new Error(`there is no command ${argv.join(" ")}`);
  const command = (await found.entry.load()).default as Command;
  const [told, asked]: [string[], string[]] = [[], []];
  const answers = [...(here.answers ?? [])];
  const chunks: Buffer[] = [];
  const ask = (what: string) => {
    asked.push(what);
    return Promise.resolve(answers.shift());
  };
  const input = () => Readable.from(here.input === undefined ? [] : [Buffer.from(here.input)]);
  const context: Context = {
    cwd: here.folder,
    env: { HOME: here.folder, ...here.env },
    clock: parseClock(`${new Date(here.now ?? MONDAY).toISOString()}@${Date.now()}*1`) as Context["clock"],
    style: styleFor(false),
    width: 100,
    live: false,
    json: true,
    interactive: here.answers !== undefined,
    out: (text) => void chunks.push(Buffer.from(text)),
    write: async (octets) => void chunks.push(octets),
    inWords: async (said) => inWords(said),
    tell: async (said) => void told.push(inWords(said)),
    prepare: async (said) => () => void told.push(inWords(said)),
    progress: async () => undefined,
    input,
    readInput: async () => here.input ?? "",
    browsesHere: here.browsesHere ?? true,
    prompt: (question) => ask(inWords(question)),
    choose: (question: PersonQuestion) => ask(question.kind),
    showPage: async ({ link }) => void asked.push(link),
  };
  const { ended, result } = await command.run(await requestOf(command, found.behind, context), context);
  return {
    ended,
    result: allInWords(result !== undefined && command.json !== undefined ? await command.json(result) : result),
    told,
    asked,
    written: Buffer.concat(chunks).toString(),
  };
}
