// A sweep with a simulated lookup, so that what is measured is the sweep itself: its memory and time for very many domains, and two
// threads against one where the cores are theirs.
import { spawn } from "node:child_process";
import { once } from "node:events";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { figure, inTurns, limit, measuring } from "./measure.mjs";

const path = (relative) => fileURLToPath(new URL(relative, import.meta.url));
const ADDRESS = "127.53.9.2";
const MANY = 200_000;
const FEW = 20_000;

/** Domains of the runs with one and with two threads, which are whole domains and take ten times as long each. */
const WHOLE = 10_000;

/** Work that asks nobody and shares nothing: milliseconds that so many processes of it take at once. */
async function busy(processes) {
  const count =
    "const m = new Map(); for (let i = 0; i < 12e6; i++) { const k = 'd' + (i % 5000) + '.test'; m.set(k, { i, parts: k.split('.') }); }";
  const start = performance.now();
  await Promise.all(Array.from({ length: processes }, () => once(spawn(process.execPath, ["-e", count]), "exit")));
  return performance.now() - start;
}

export default async function sweepMany() {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  try {
    writeFileSync(
      join(folder, "zandrel.yaml"),
      `version: 1\norganisation: Bench\nvantages: [{ name: near, resolver: "${ADDRESS}" }]\nanchors: ""\n`,
    );
    const measure = measuring(folder);
    const run = (prefix, count, threads) => {
      writeFileSync(join(folder, "list.txt"), Array.from({ length: count }, (_, i) => `${prefix}${i}.test\n`).join(""));
      const argv = ["--require", path("simulated-dns.cjs"), path("../dist/zandrel.cjs"), "sweep", "list.txt"];
      return measure([...argv, "--threads", String(threads), "--fail-on", "never", "--json"], { cwd: folder });
    };
    // Names that are not there, of which a lot can be looked at in a short time.
    const [few, many] = [run("x", FEW, 1), run("x", MANY, 1)];
    limit(`Sweep of ${MANY / 1000},000 domains, memory in MB`, many.peak, 300);
    figure(`Sweep of ${MANY / 1000},000 domains, memory for ten times as many`, many.peak / few.peak, 1.4);
    figure(`Sweep of ${MANY / 1000},000 domains, time a domain, ten times as many`, many.taken / MANY / (few.taken / FEW), 1.1);
    const [one, two, alone, both] = await inTurns(
      3,
      () => run("d", WHOLE, 1).taken,
      () => run("d", WHOLE, 2).taken,
      () => busy(1),
      () => busy(2),
    );
    // Two cores bring less than twice of one where the machine is shared: this is what they bring now.
    const most = (2 * alone) / both;
    const share = one / two / most;
    figure(
      `Sweep of ${WHOLE / 1000},000 domains, two threads against one (${(one / two).toFixed(2)} x), of what two cores bring (${most.toFixed(2)} x)`,
      share,
      0.8,
      share >= 0.8,
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
