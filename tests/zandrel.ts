import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Readable } from "node:stream";
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

/** A temporary folder, a new one or a known one, with these files in it; it is removed when the tests are done. */
export function folderWith(files: Readonly<Record<string, string>> = {}, known?: string): string {
  const folder = known ?? mkdtempSync(join(tmpdir(), "zandrel-test-"));
  folders.push(folder);
  for (const [path, text] of Object.entries(files)) writeFileSync(join(folder, path), text);
  return folder;
}

export interface Ran {
  readonly exit: number;
  readonly out: string;
  readonly err: string;
  /** Both, in the order in which they were written. */
  readonly all: string;
  /** Standard output read as JSON. */
  // biome-ignore lint/suspicious/noExplicitAny: tests look into whatever shape is there
  readonly json: any;
}

interface Around {
  readonly env?: Readonly<Record<string, string>>;
  readonly input?: string;
}

const outcome = (exit: number, out: string, err: string, all: string): Ran => ({
  exit,
  out,
  err,
  all,
  get json() {
    if (out === "") throw new Error(`no JSON was printed, and on standard error: ${err}`);
    return JSON.parse(out);
  },
});

/** Starts the built program in a folder, as a process of its own, not on a terminal, in UTC. */
export async function started(folder: string, argv: readonly string[], { env = {}, input = "" }: Around = {}): Promise<Ran> {
  const ran = await execa(process.execPath, [PROGRAM, ...argv], {
    cwd: folder,
    input,
    reject: false,
    extendEnv: false,
    env: { ...ENVIRONMENT, HOME: folder, ...env },
    stripFinalNewline: false,
    all: true,
  });
  return outcome(ran.exitCode ?? -1, ran.stdout, ran.stderr, ran.all);
}

type Run = typeof import("../src/cli/run.ts").run;
const LOADED = Symbol.for("zandrel.program");

/**
 * The built program, loaded once in each process of the tests and outside of their sandbox: the modules of Node that are handed
 * out here are the real ones.
 */
function loadedProgram(): Run {
  const real = process.getBuiltinModule("node:process") as unknown as Record<symbol, Run | undefined>;
  const { pathname } = new URL("../dist/program/run.cjs", import.meta.url);
  return (real[LOADED] ??= process.getBuiltinModule("node:module").createRequire(pathname)(pathname).run as Run);
}

const trusted = new Set<string>();

/** Trusts the authorities of a file from now on, as Node does at its start where NODE_EXTRA_CA_CERTS names one. */
function trust(file: string | undefined): void {
  if (file === undefined) return;
  const tls = process.getBuiltinModule("node:tls");
  if (trusted.size === 0) {
    const make = tls.createSecureContext;
    tls.createSecureContext = (options) => {
      const made = make(options);
      if (options?.ca === undefined) for (const pem of trusted) made.context.addCACert(pem);
      return made;
    };
  }
  trusted.add(readFileSync(file, "utf8"));
}

/** Runs the built program in this process, with a folder, an environment and an input of its own, and what it writes is kept. */
export async function zandrel(folder: string, argv: readonly string[], { env = {}, input = "" }: Around = {}): Promise<Ran> {
  trust(env.NODE_EXTRA_CA_CERTS);
  const [out, err, all]: Buffer[][] = [[], [], []];
  const writing = (to: Buffer[] | undefined) => (octets: string | Uint8Array) => {
    for (const chunks of [to, all]) chunks?.push(Buffer.from(octets as Uint8Array));
  };
  const exit = await loadedProgram()(argv, {
    cwd: folder,
    env: { ...ENVIRONMENT, HOME: folder, ...env },
    input: Readable.from(input === "" ? [] : [Buffer.from(input)]),
    output: { write: writing(out), handOver: async (octets) => writing(out)(octets) },
    errors: { write: writing(err) },
  }).catch((error: Error) => {
    // As Node ends a program that threw.
    writing(err)(`${error.stack}\n`);
    return 1;
  });
  const text = (chunks: Buffer[] | undefined) => Buffer.concat(chunks ?? []).toString();
  return outcome(exit, text(out), text(err), text(all));
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
