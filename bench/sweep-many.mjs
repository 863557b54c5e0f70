// A sweep over many domains that a simulated name server does not have: what is measured is the sweep itself, its memory and time.
import { spawn } from "node:child_process";
import { once } from "node:events";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { figure, limit, measuring } from "./measure.mjs";

const path = (relative) => fileURLToPath(new URL(relative, import.meta.url));
const ADDRESS = "127.53.8.2";
const PORT = "5398";
const MANY = 200_000;
const FEW = 20_000;

export default async function sweepMany() {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  const server = spawn(process.execPath, [path("nothing-there.cjs"), ADDRESS, PORT], { stdio: ["ignore", "pipe", "inherit"] });
  try {
    await once(server.stdout, "data");
    writeFileSync(
      join(folder, "zandrel.yaml"),
      `version: 1\norganisation: Bench\nvantages: [{ name: near, resolver: "${ADDRESS}:${PORT}" }]\ndefaults: { authorityPort: ${PORT} }\nanchors: ""\n`,
    );
    const measure = measuring(folder);
    const run = (count) => {
      writeFileSync(join(folder, `${count}.txt`), Array.from({ length: count }, (_, i) => `x${i}.test\n`).join(""));
      const argv = [path("../dist/zandrel.cjs"), "sweep", `${count}.txt`, "--threads", "1", "--fail-on", "never", "--json"];
      return measure(argv, { cwd: folder });
    };
    const [few, many] = [run(FEW), run(MANY)];
    limit(`Sweep of ${MANY / 1000},000 domains, memory in MB`, many.peak, 300);
    figure(`Sweep of ${MANY / 1000},000 domains, memory for ten times as many`, many.peak / few.peak, 1.4);
    figure(`Sweep of ${MANY / 1000},000 domains, time a domain, ten times as many`, many.taken / MANY / (few.taken / FEW), 1.1);
  } finally {
    server.kill("SIGKILL");
    rmSync(folder, { recursive: true, force: true });
  }
}
