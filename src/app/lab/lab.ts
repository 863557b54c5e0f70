import { Failure } from "../../core/failure.ts";
import { type CommonRequest, type AppContext, type Outcome } from "../context.ts";
import { writeAtomically } from "../../workspace/index.ts";
import { resolve } from "node:path";

/** Where the lab's story begins, and how fast its clock runs unless told otherwise. */
export const LAB_START = "2026-03-02T09:00:00Z";

export function labOptions(request: LabRequest): { start: number; speed: number; port: number } {
  const start = Date.parserequest.start;
  if (Number.isNaN(start)) throw new Failure(`--start “${request.start}” is not a time: write it as ${LAB_START}.`);
  const speed = request.speed;
  if (!(speed >= 1 && speed <= 100_000))
    throw new Failure("--speed wants a number from 1 to 100000: how many times as fast as a real clock the lab's runs.");
  const port = request.port;
  if (!(Number.isInteger(port) && port > 0 && port < 65_536)) throw new Failure("--port wants a number from 1 to 65535.");
  return { start, speed, port };
}

/** Turns the ways a lab fails to start into one sentence. */
export function labFailure(error: unknown, port: number): unknown {
  const { code, port: at = port } = error as NodeJS.ErrnoException & { port?: number };
  if (code === "EADDRINUSE")
    return new Failure("port-taken", { port: at, first: port });
  if (code === "EADDRNOTAVAIL")
    return new Failure("no-loopback", {});
  if (code === "EACCES") return new Failure("port-rights", { port });
  return error;
}

const shellQuote = (text: string) => `'${text.replaceAll("'", "'\\''")}'`;

/** What {@link lab} is asked. */
export interface LabRequest extends CommonRequest {
  readonly port: number;
  readonly speed: number;
  readonly start: string;
  readonly settings: string;
}


/** Run the stand-ins on loopback until Ctrl-C: registry, DNS hosts, resolvers, services, a mailbox provider, one fast clock. */
export async function lab(request: LabRequest, context: AppContext): Promise<Outcome<undefined>> {
    const options = labOptions(request);
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
      const file = request.settings;
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
    return { ended: "fine" };
  }

