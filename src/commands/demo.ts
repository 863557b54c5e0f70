import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { name } from "../core/name/index.ts";
import { EXIT, type ExitCode, UserError } from "../core/user-error.ts";
import { wrap } from "../present/index.ts";
import { writeAtomically } from "../workspace/index.ts";
import { type Context, command } from "./command.ts";
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

interface Step {
  /** What happens, told to somebody who knows marketing and not DNS. */
  readonly told: string;
  readonly argv: readonly string[];
  readonly input?: string;
  /** The exit code the story needs here. */
  readonly ends: ExitCode;
}

/** Types a command line and runs it as the user would, in its own process. */
function type(step: Step, folder: string, env: NodeJS.ProcessEnv, context: Context): Promise<number> {
  const { style, width } = context;
  context.out(
    `\n${style.quiet(wrap(step.told, width))}\n${style.strong("$")} ${style.command(`zandrel ${step.argv.join(" ")}`)}\n`,
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
  summary: "tell the whole story on the stand-ins, in under 20 seconds: a token asked for, drafted, published, watched, proven",
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
    const { startLab } = await import("../lab/index.ts");
    const lab = await startLab(labOptions({ ...args, start: LAB_START, port })).catch((error) => {
      throw labFailure(error, port);
    });
    const keep = args.keep as string | undefined;
    const folder = keep ?? mkdtempSync(join(tmpdir(), "zandrel-demo-"));
    const env: NodeJS.ProcessEnv = { ...context.env, ...lab.env, TZ: context.env.TZ ?? "UTC" };
    if (context.live && context.env.NO_COLOR === undefined) env.FORCE_COLOR = "1";
    const brackwater = name("brackwater.example");
    try {
      writeAtomically(join(folder, "lab.yaml"), lab.settings);
      const paste = lab.seekmere.instructions("brackwater.example");
      context.out(
        `${style.title("The Brackwater Puppet Theatre wants to be found.")}\n${wrap("Seekmere, the search engine, wants proof that brackwater.example is theirs. Nettlehost serves the domain. Everything runs on this machine, and a clock that runs fast stands in for the waiting.", context.width)}\n`,
      );
      const steps: readonly (Step | (() => Promise<void>))[] = [
        {
          told: "A workspace is a folder. This one takes over what the lab says about DNS hosts, services and the places we look from.",
          argv: ["init", "brackwater.example", "--host", "nettlehost", "--settings", "lab.yaml"],
          ends: EXIT.ok,
        },
        {
          told: `Seekmere shows a small table. Copied as it is:\n\n${paste}`,
          argv: ["intake", "-"],
          input: paste,
          ends: EXIT.ok,
        },
        { told: "What would that change? Nothing is touched yet.", argv: ["draft", "brackwater.example"], ends: EXIT.ok },
        async () => {
          context.out(
            `\n${style.quiet(wrap("Meanwhile, somebody behind two of the resolvers we look from opens the theatre's site, so those remember the old records for a while.", context.width))}\n`,
          );
          await Promise.all(["Quay Street", "Far Shore"].map((vantage) => lab.vantages[vantage]?.ask(brackwater, "TXT")));
        },
        {
          told: "It adds one text and removes nothing, so it goes out: one signed update, all or nothing.",
          argv: ["publish", "brackwater.example"],
          ends: EXIT.ok,
        },
        {
          told: "Who sees it already? Not everyone; asking Seekmere now would be too early.",
          argv: ["prove", "seekmere-ownership"],
          ends: EXIT.not,
        },
        { told: "So we watch. Half an hour passes in a few seconds.", argv: ["watch", "brackwater.example"], ends: EXIT.ok },
        { told: "Now Seekmere may be asked, and its own check answers.", argv: ["prove", "seekmere-ownership"], ends: EXIT.ok },
        { told: "Where does everything stand?", argv: ["status"], ends: EXIT.ok },
      ];
      for (const step of steps) {
        if (typeof step === "function") {
          await step();
          continue;
        }
        const code = await type(step, folder, env, context);
        if (code !== step.ends)
          throw new UserError(
            `the demo broke off: zandrel ${step.argv.join(" ")} ended with ${code} instead of ${step.ends}; this is a defect, please report it.`,
            EXIT.not,
          );
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
