import { cpSync, existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { execa } from "execa";
import { Failure } from "../core/failure.ts";
import { approvalAct, mailAct, type Step, tokenAct } from "./acts.ts";
import { LAB_START, startLab } from "./start-lab.ts";

/** Who hears what is played. */
export interface Audience {
  readonly env: Readonly<Record<string, string | undefined>>;
  /** Whether commands may use colour. */
  readonly colour: boolean;
  act(title: string, narration: string): void;
  /** A command line is about to run. */
  typed(step: Step): void;
  scene(narration: string): void;
  seen(text: string): void;
}

/** The kits of the demo; two folders up both from here and from the bundle it is the project's root. */
const KITS =
  ["../demo", "../../demo"].map((path) => fileURLToPath(new URL(`${path}/brackwater/kits`, import.meta.url))).find(existsSync) ??
  "kits";

const SIGNALS = ["SIGINT", "SIGTERM", "SIGHUP"] as const;

/**
 * Types a command line and runs it as the user would, in its own process. It has no terminal of its own, so that the demo plays by itself
 * and never asks who watches it; it ends with the demo.
 */
async function type(step: Step, folder: string, env: NodeJS.ProcessEnv): Promise<number | undefined> {
  const { clicks } = step;
  const running = execa(process.execPath, [process.argv[1] as string, ...step.argv], {
    cwd: folder,
    env,
    extendEnv: false,
    input: step.input ?? "",
    stdout: "inherit",
    stderr: clicks === undefined && process.stderr.isTTY ? "inherit" : "pipe",
    reject: false,
    detached: true,
  });
  const stop = (signal: NodeJS.Signals): void => {
    running.kill("SIGKILL");
    process.kill(process.pid, signal);
  };
  for (const signal of SIGNALS) process.once(signal, stop);
  let clicked: Promise<unknown> | undefined;
  let shown = "";
  // What the command says beside its result is part of the story, and the address in it is where somebody clicks.
  running.stderr?.on("data", (text: Buffer) => {
    process.stdout.write(text);
    shown += text.toString();
    const link = /^(http:\/\/\S+)$/m.exec(shown)?.[1];
    if (link !== undefined && clicks !== undefined) clicked ??= clicks(link);
  });
  const { exitCode } = await running;
  for (const signal of SIGNALS) process.off(signal, stop);
  await clicked;
  return exitCode;
}

/** Whoever clicks in the demo sits in front of this machine, wherever the demo itself is watched from. */
const AT_SCREEN = { DISPLAY: ":0", SSH_CONNECTION: undefined, SSH_TTY: undefined };

/** Plays the guided demo in a workspace of its own, which is kept in a folder where one is named. */
export async function playDemo(keep: string | undefined, audience: Audience): Promise<void> {
  const { lab, passDays } = await startLab({ start: Date.parse(LAB_START), port: 0 });
  const folder = keep ?? mkdtempSync(join(tmpdir(), "zandrel-demo-"));
  try {
    mkdirSync(folder, { recursive: true });
    writeFileSync(join(folder, "lab.yaml"), lab.settings);
    cpSync(KITS, join(folder, "kits"), { recursive: true });
    for (const act of [tokenAct(lab), approvalAct(lab), await mailAct(lab, passDays)]) {
      audience.act(act.title, act.narration);
      for (const step of act.steps) {
        if ("happens" in step) {
          audience.scene(step.narration);
          const seen = await step.happens();
          if (seen !== undefined) audience.seen(seen);
          continue;
        }
        audience.typed(step);
        // The clock leaps now and then, and every command is told where it stands.
        const colour = audience.colour ? { FORCE_COLOR: "1" } : {};
        const env = { ...audience.env, ...AT_SCREEN, ...lab.env, ...colour, TZ: audience.env.TZ ?? "UTC" };
        const ended = (await type(step, folder, env)) ?? -1;
        if (ended !== step.ends) throw new Failure("demo-broke-off", { argv: step.argv, ended, expected: step.ends });
      }
    }
  } finally {
    await lab.close();
    if (keep === undefined) rmSync(folder, { recursive: true, force: true });
  }
}
