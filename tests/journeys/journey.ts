import { readFileSync } from "node:fs";
import { join } from "node:path";
import { expect } from "@jest/globals";
import { execa } from "execa";
import { name } from "../../src/core/name/index.ts";
import { type RecordType, toSets, withData } from "../../src/core/record/index.ts";
import { readRecords } from "../../src/core/zone/index.ts";
import { startLab } from "../../src/lab/index.ts";
import { folderWith, zandrel } from "../zandrel.ts";

export type Lab = Awaited<ReturnType<typeof startLab>>;

interface Typed {
  readonly exit: number;
  readonly out: string;
}

/**
 * A whole piece of work as a specialist does it: command lines typed in a shell, and what is printed behind “Next:” typed
 * as it stands. `commands` counts what was typed.
 */
export class Journey {
  commands = 0;
  #last = "";
  readonly lab: Lab;
  readonly folder: string;

  private constructor(lab: Lab, folder: string) {
    this.lab = lab;
    this.folder = folder;
  }

  static async begin(change: (settings: string) => string = (settings) => settings): Promise<Journey> {
    const lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
    return new Journey(lab, folderWith({ "lab.yaml": change(lab.settings) }));
  }

  /** Types a line in a shell; the exit code has to be the one the story needs. */
  async type(line: string, ends = 0, input = ""): Promise<string> {
    this.commands += 1;
    const { exit, out } = await this.#run(line, input);
    if (exit !== ends) throw new Error(`${line} ended with ${exit}, not ${ends}:\n${out}`);
    this.#last = out;
    return out;
  }

  async #run(line: string, input: string): Promise<Typed> {
    // A shell reads the line; what it would start runs here, with the words as the shell understood them.
    const script = `zandrel() { for word do printf '%s\\0' "$word"; done; }\n${line}\n`;
    const ran = await execa("sh", ["-c", script], { cwd: this.folder, input, reject: false, all: true });
    if (ran.exitCode !== 0 || !line.startsWith("zandrel ")) return { exit: ran.exitCode ?? -1, out: ran.all };
    const { exit, all } = await zandrel(this.folder, ran.stdout.split("\0").slice(0, -1), {
      env: { COLUMNS: "120", ...this.lab.env },
      input,
    });
    return { exit, out: all };
  }

  /** What was printed last says to do next. */
  printedNext(): string {
    const found = /[Nn]ext:[^\n]*?(zandrel [^\n(;]*?)(?=\s*(?:\(|;|, or |, zandrel |\.?\n|\.?$))/.exec(this.#last)?.[1];
    if (found === undefined) throw new Error(`nothing is said about what comes next:\n${this.#last}`);
    return found.trim();
  }

  /** Types what was printed behind “Next:”, literally. */
  async next(expected: RegExp, ends = 0): Promise<string> {
    const line = this.printedNext();
    expect(line).toMatch(expected);
    return this.type(line, ends);
  }

  /** Where every ask of the workspace stands, as `id state`. */
  async states(): Promise<string[]> {
    const { out } = await this.#run("zandrel status --json", "");
    return JSON.parse(out).domains.flatMap(({ asks }: { asks: { id: string; state: string }[] }) =>
      asks.map(({ id, state }) => `${id} ${state}`),
    );
  }

  /** Somebody enters records at the DNS host, beside what is there. */
  enter(lines: string, domain = "brackwater.example"): void {
    const apex = name(domain);
    for (const set of toSets(readRecords(lines, { origin: apex, ttl: 3600 }).records)) {
      const there = this.lab.nettlehost.set(apex, set.name, set.type);
      this.lab.nettlehost.put(apex, there === undefined ? set : withData(there, set.data));
    }
  }

  /** Somebody uploads the captured zone at the new DNS host. */
  upload(change: (zone: string) => string = (zone) => zone): void {
    const zone = readFileSync(join(this.folder, "brackwater.example.zone"), "utf8");
    const head =
      "@ SOA ns1.zonemarrow.example. h 1 2h 15m 2w 15m\n@ 3600 NS ns1.zonemarrow.example.\n@ 3600 NS ns2.zonemarrow.example.\n";
    this.lab.zonemarrow.serve(name("brackwater.example"), `$TTL 1h\n${head}${change(zone)}`);
  }

  /** The registrar names other servers. */
  delegate(...servers: string[]): void {
    const data = servers.map((server) => ({ target: name(server) }));
    this.lab.registry.put(name("example"), { name: name("brackwater.example"), type: "NS", ttl: 21_600, data });
  }

  /** Somebody deletes all records of a type at a host. */
  remove(host: string, type: RecordType, domain = "brackwater.example"): void {
    const apex = name(domain);
    this.lab.nettlehost.remove(apex, host === "@" ? apex : name(host, apex), type);
  }

  close(): Promise<void> {
    return this.lab.close();
  }
}
