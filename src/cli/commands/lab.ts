import { resolve } from "node:path";
import { EXIT, UserError } from "../../core/user-error.ts";
import { writeAtomically } from "../../workspace/index.ts";
import { type Arguments, command } from "../command.ts";

/** Where the lab's story begins, and how fast its clock runs unless told otherwise. */
export const LAB_START = "2026-03-02T09:00:00Z";

export function labOptions(args: Arguments): { start: number; speed: number; port: number } {
  const start = Date.parse(args.start as string);
  if (Number.isNaN(start)) throw new UserError(`--start “${args.start}” is not a time: write it as ${LAB_START}.`);
  const speed = args.speed as number;
  if (!(speed >= 1 && speed <= 100_000))
    throw new UserError("--speed wants a number from 1 to 100000: how many times as fast as a real clock the lab's runs.");
  const port = args.port as number;
  if (!(Number.isInteger(port) && port > 0 && port < 65_536)) throw new UserError("--port wants a number from 1 to 65535.");
  return { start, speed, port };
}

/** Turns the ways a lab fails to start into one sentence. */
export function labFailure(error: unknown, port: number): unknown {
  const { code, port: at = port } = error as NodeJS.ErrnoException & { port?: number };
  if (code === "EADDRINUSE")
    return new UserError(
      `port ${at} is in use on a loopback address, perhaps by another lab, which takes six from ${port} on: stop it, or choose others with --port.`,
    );
  if (code === "EADDRNOTAVAIL")
    return new UserError(
      "this system has no loopback addresses beside 127.0.0.1: add 127.53.0.1 to .36 to its loopback interface, then try again.",
    );
  if (code === "EACCES") return new UserError(`port ${port} needs more rights than you have: choose one above 1023 with --port.`);
  return error;
}

const shellQuote = (text: string) => `'${text.replaceAll("'", "'\\''")}'`;

export default command({
  name: "lab",
  operands: "",
  summary:
    "run the stand-ins on loopback until Ctrl-C: registry, DNS hosts, resolvers, services, a mailbox provider, one fast clock",
  examples: [
    ["zandrel lab", "start them, and print how to point a workspace at them"],
    ["zandrel lab --speed 60 --settings lab.yaml", "a minute takes a second; write the settings into lab.yaml"],
  ],
  options: {
    port: {
      type: "number",
      default: 5300,
      requiresArg: true,
      describe: "port of all its DNS servers; the five behind it are for the web and for mail",
    },
    speed: { type: "number", default: 60, requiresArg: true, describe: "how many times as fast as a real clock the lab's runs" },
    start: { type: "string", default: LAB_START, requiresArg: true, describe: "the lab's time when it starts" },
    settings: {
      type: "string",
      default: "lab.yaml",
      requiresArg: true,
      describe: "where to write the settings of a workspace that uses it",
    },
  },
  async run(args, context) {
    const options = labOptions(args);
    const { startLab } = await import("../../lab/index.ts");
    const lab = await startLab(options).catch((error) => {
      throw labFailure(error, options.port);
    });
    try {
      const { seekmere, pagewick, sealbarrow, heronpost, swiftquill, inglemail } = lab;
      const pages = [
        seekmere.instructions("brackwater.example"),
        pagewick.instructions("brackwater.example"),
        pagewick.instructions("brackwater.example", "site"),
        sealbarrow.instructions("brackwater.example"),
        await heronpost.page("brackwater.example"),
        await inglemail.page("brackwater.example"),
        swiftquill.instructions("brackwater-tickets.example"),
        await swiftquill.page("brackwater-tickets.example"),
      ];
      const file = args.settings as string;
      writeAtomically(resolve(context.cwd, file), lab.settings);
      context.out(
        [
          "The lab runs. In another terminal, in an empty folder:",
          "",
          ...Object.entries(lab.env).map(([name, value]) => `export ${name}=${shellQuote(value)}`),
          `zandrel init brackwater.example --host nettlehost --settings ${shellQuote(resolve(context.cwd, file))}`,
          "",
          "What the services show, ready to paste into zandrel intake:",
          "",
          ...pages.map((page) => page.replaceAll("\t", "    ")),
          `Mailboxes, a Maildir each: ${lab.mailboxes}`,
          "Mallowmail refuses mail to nobody@mallowmail.example, has no room for full@mallowmail.example, and grumbler@ complains.",
          "Ctrl-C stops the lab.",
          "",
        ].join("\n"),
      );
      await new Promise<void>((resolve) => {
        process.once("SIGINT", resolve);
        process.once("SIGTERM", resolve);
      });
    } finally {
      await lab.close();
    }
    return { exit: EXIT.ok };
  },
});
