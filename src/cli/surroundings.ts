import { fstatSync } from "node:fs";
import { writeAll } from "../write-all.ts";

/** Where text goes to; `isTTY` and `columns` are those of a terminal. */
export interface Output {
  readonly isTTY?: boolean | undefined;
  readonly columns?: number | undefined;
  /** Writes a text; what a file does not take is thrown. */
  write(text: string): void;
  /** Writes octets, and is done when they are handed over. */
  handOver(octets: Uint8Array): Promise<void>;
}

/** What a run of the command line has around it: the process's own, or what somebody who runs many in one process gives each. */
export interface Surroundings {
  /** The folder that relative paths start from. */
  readonly cwd: string;
  readonly env: Readonly<Record<string, string | undefined>>;
  readonly input: AsyncIterable<Buffer> & { readonly isTTY?: boolean };
  readonly output: Output;
  readonly errors: Pick<Output, "write">;
}

/**
 * Standard output of this process. Into a file it is written to the last octet: a disk may be full, and the stream of the
 * runtime would not say so.
 */
function standardOutput(): Output {
  const { stdout } = process;
  if (fstatSync(1).isFile())
    return { write: (text) => writeAll(1, Buffer.from(text)), handOver: async (octets) => writeAll(1, octets) };
  return {
    isTTY: stdout.isTTY,
    columns: stdout.columns,
    write: (text) => void stdout.write(text),
    handOver: (octets) =>
      new Promise((resolve, reject) => stdout.write(octets, (error) => (error == null ? resolve() : reject(error)))),
  };
}

/** What this process has around it. */
export const ofProcess = (): Surroundings => ({
  cwd: process.cwd(),
  env: process.env,
  // The stream is made when something reads it.
  get input() {
    return process.stdin as AsyncIterable<Buffer> & { readonly isTTY?: boolean };
  },
  output: standardOutput(),
  errors: { write: (text) => void process.stderr.write(text) },
});

/** Whether a browser of this machine is at hand: not over SSH, and with a display where one is needed. */
export const hasBrowser = (env: Readonly<Record<string, string | undefined>>, platform: string): boolean =>
  env.SSH_CONNECTION === undefined &&
  env.SSH_TTY === undefined &&
  (platform === "darwin" || platform === "win32" || (env.DISPLAY ?? "") !== "" || (env.WAYLAND_DISPLAY ?? "") !== "");
