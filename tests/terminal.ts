import { spawn } from "node:child_process";
import { PROGRAM } from "./zandrel.ts";

/** The built program in a pseudo terminal: what it shows, and keys typed as a person types them. */
export interface Terminal {
  /** Everything shown so far, without colours and movements of the cursor. */
  text(): string;
  /** Waits until the pattern is shown behind what was seen before; gives back what is shown up to then. */
  sees(pattern: RegExp): Promise<string>;
  /** Types keys; `\r` is Enter. */
  type(keys: string): void;
  /** Waits for the end; the exit code. */
  ended(): Promise<number>;
  close(): void;
}

/** Far longer than anything takes; it only turns a hanging test into one that says what is on the screen. */
const PATIENCE = 150_000;

export const ENTER = "\r";
export const DOWN = "\x1b[B";
export const CTRL_C = "\x03";

const plain = (raw: string): string =>
  raw.replace(/\x1b\[[0-9;?]*[A-Za-z]|\x1b\][^\x07]*\x07|\x1b[()][A-Z0-9]/g, "").replace(/\r/g, "");

const quoted = (word: string): string => `'${word.replaceAll("'", "'\\''")}'`;

/** Starts the program in a terminal of 100 columns. */
export function openTerminal(
  folder: string,
  argv: readonly string[],
  env: Readonly<Record<string, string>>,
  columns = 100,
): Terminal {
  const command = `stty cols ${columns} rows 50; exec ${[process.execPath, PROGRAM, ...argv].map(quoted).join(" ")}`;
  const child = spawn("script", ["-qefc", command, "/dev/null"], {
    cwd: folder,
    env: { ...process.env, TERM: "xterm-256color", ...env },
  });
  let raw = "";
  let seen = 0;
  const waiting = new Set<() => void>();
  child.stdout.on("data", (chunk: Buffer) => {
    raw += chunk.toString("utf8");
    for (const look of [...waiting]) look();
  });
  const end = new Promise<number>((resolve) => child.on("close", (code) => resolve(code ?? -1)));
  return {
    text: () => plain(raw),
    sees: (pattern) =>
      new Promise((resolve, reject) => {
        const look = () => {
          const shown = plain(raw);
          const found = pattern.exec(shown.slice(seen));
          if (found === null) return;
          const upTo = shown.slice(seen, seen + found.index + found[0].length);
          seen += found.index + found[0].length;
          waiting.delete(look);
          resolve(upTo);
        };
        waiting.add(look);
        look();
        const patience = setTimeout(() => {
          if (waiting.delete(look)) reject(new Error(`${pattern} was not shown, but:\n${plain(raw).slice(-3000)}`));
        }, PATIENCE);
        patience.unref();
        void end.then(() => {
          if (waiting.delete(look))
            reject(new Error(`the program ended before it showed ${pattern}:\n${plain(raw).slice(-2000)}`));
        });
      }),
    type: (keys) => void child.stdin.write(keys),
    ended: () => end,
    close: () => void child.kill("SIGKILL"),
  };
}
