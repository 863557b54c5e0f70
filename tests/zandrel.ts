import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll } from "@jest/globals";
import { execa } from "execa";

/** The built program, as a user has it. */
export const PROGRAM = new URL("../dist/zandrel.cjs", import.meta.url).pathname;

/** What every run of the program finds around it; the code kept between runs is shared by all tests. */
export const ENVIRONMENT = {
  PATH: process.env.PATH ?? "",
  TZ: "UTC",
  XDG_CACHE_HOME: new URL("../node_modules/.cache/code", import.meta.url).pathname,
};

/** What a run of the program finds in whose waits the lab's clock does not go on: only the test moves it. */
export const stillFor = ({ env }: { readonly env: Readonly<Record<string, string>> }): Readonly<Record<string, string>> => ({
  ...env,
  ZANDREL_CLOCK: (env.ZANDREL_CLOCK as string).replace("steps:", "follows:"),
});

const folders: string[] = [];
afterAll(() => {
  for (const folder of folders) rmSync(folder, { recursive: true, force: true });
});

/** A temporary folder with these files in it, removed when the tests are done. */
export function folderWith(files: Readonly<Record<string, string>> = {}): string {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-test-"));
  folders.push(folder);
  for (const [path, text] of Object.entries(files)) writeFileSync(join(folder, path), text);
  return folder;
}

export interface Ran {
  readonly exit: number;
  readonly out: string;
  readonly err: string;
  /** Standard output read as JSON. */
  // biome-ignore lint/suspicious/noExplicitAny: tests look into whatever shape is there
  readonly json: any;
}

/** Runs the built program in a folder, not on a terminal, in UTC. */
export async function zandrel(
  folder: string,
  argv: readonly string[],
  { env = {}, input = "" }: { env?: Readonly<Record<string, string>>; input?: string } = {},
): Promise<Ran> {
  const ran = await execa(process.execPath, [PROGRAM, ...argv], {
    cwd: folder,
    input,
    reject: false,
    extendEnv: false,
    env: { ...ENVIRONMENT, HOME: folder, ...env },
    stripFinalNewline: false,
  });
  return {
    exit: ran.exitCode ?? -1,
    out: ran.stdout,
    err: ran.stderr,
    get json() {
      if (ran.stdout === "") throw new Error(`no JSON was printed, and on standard error: ${ran.stderr}`);
      return JSON.parse(ran.stdout);
    },
  };
}

/** A port nobody listens on at this moment. */
export const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const probe = createServer();
    probe.listen(0, "127.0.0.1", () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => resolve(port));
    });
  });
