import { spawn } from "node:child_process";
import { cpSync, existsSync, mkdtempSync, rmSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { Failure } from "../../core/failure.ts";
import { mailAct, type Step, tokenAct } from "../../demo/acts.ts";
import { wrap } from "../../present/index.ts";
import { writeAtomically } from "../../workspace/index.ts";
import { type Context, command } from "../command.ts";
import { LAB_START, labFailure, labOptions } from "./lab.ts";

/** A port that nobody listens on at this moment. */
const freePort = (): Promise<number> =>
  new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once("error", reject);
    probe.listen(0, "127.0.0.1", () => {
      const { port } = probe.address() as { port: number };
      probe.close(() => resolve(port));
    });
  });

/** The kits of the demo; two folders up both from here and from the bundle it is the project's root. */
const KITS =
  ["../demo", "../../demo"].map((path) => fileURLToPath(new URL(`${path}/brackwater/kits`, import.meta.url))).find(existsSync) ??
  "kits";

/** Types a command line and runs it as the user would, in its own process. */
function type(step: Step, folder: string, env: NodeJS.ProcessEnv, context: Context): Promise<number> {
  const { style, width } = context;
  context.out(
    `\n${style.quiet(wrap(step.narration, width))}\n${style.strong("$")} ${style.command(`zandrel ${step.argv.join(" ")}`)}\n`,
  );
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, [process.argv[1] as string, ...step.argv], {
      cwd: folder,
      env,
      stdio: ["pipe", "inherit", "inherit"],
    });
    child.once("error", reject);
    child.once("exit", (code) => resolve(code ?? EXIT.undetermined));
    child.stdin.end(step.input ?? "");
  });
}

export default command({
  name: "demo",
  operands: "",
  summary:
    "tell the whole story on the stand-ins in about a minute: a token proven, then mail, from the first record to forgeries refused",
  examples: [
    ["zandrel demo", "in a temporary folder that is removed afterwards"],
    ["zandrel demo --keep brackwater", "keep the workspace in the folder brackwater"],
  ],
  options: {
    keep: { type: "string", requiresArg: true, describe: "keep the workspace in this folder" },
    speed: { type: "number", default: 360, requiresArg: true, describe: "how many times as fast as a real clock the lab's runs" },
  },
  async run(args, context) {
    const { style } = context;
    const port = await freePort();
    const { startLab, passDays } = await import("../../lab/index.ts");
    const lab = await startLab(labOptions({ ...args, start: LAB_START, port })).catch((error) => {
      throw labFailure(error, port);
    });
    const keep = args.keep as string | undefined;
    const folder = keep ?? mkdtempSync(join(tmpdir(), "zandrel-demo-"));
    const colour = context.live && context.env.NO_COLOR === undefined ? { FORCE_COLOR: "1" } : {};
    try {
      writeAtomically(join(folder, "lab.yaml"), lab.settings);
      cpSync(KITS, join(folder, "kits"), { recursive: true });
      for (const act of [tokenAct(lab), await mailAct(lab, passDays)]) {
        context.out(`\n${style.title(act.title)}\n${wrap(act.narration, context.width)}\n`);
        for (const step of act.steps) {
          if ("happens" in step) {
            context.out(`\n${style.quiet(wrap(step.narration, context.width))}\n`);
            const seen = await step.happens();
            if (seen !== undefined) context.out(`${wrap(seen, context.width)}\n`);
            continue;
          }
          // The clock leaps now and then, and every command is told where it stands.
          const env = { ...context.env, ...lab.env, ...colour, TZ: context.env.TZ ?? "UTC" };
          const code = await type(step, folder, env, context);
          if (code !== step.ends)
            throw new Failure("demo-broke-off", { argv: step.argv, ended: code, expected: step.ends }, "problem");
        }
      }
      context.out(
        `\n${style.good("Done.")} ${keep === undefined ? "The temporary workspace is removed." : `The workspace is in ${keep}.`} Your own: ${style.command("zandrel init YOUR-DOMAIN")}\n`,
      );
      return { exit: EXIT.ok };
    } finally {
      await lab.close();
      if (keep === undefined) rmSync(folder, { recursive: true, force: true });
    }
  },
});
