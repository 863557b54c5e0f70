// What an approval costs beside the waiting: publish with a host that answers and a person who clicks at once, beyond the same
// publication by a signed update.
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { internals } from "../internals.mjs";
import { inTurns, limit } from "./measure.mjs";

const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));

export default async function approval() {
  const { startLab } = await internals("lab/index.ts");
  const { name } = await internals("core/name/index.ts", "core/result.ts");
  const lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), speed: 1, port: 5796 });
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  const apex = name("brackwater.example");
  const run = (argv) =>
    new Promise((resolve, reject) => {
      const start = performance.now();
      const child = spawn(process.execPath, [program, ...argv], {
        cwd: folder,
        env: { ...process.env, ...lab.env, NO_COLOR: "1" },
      });
      let said = "";
      let clicked = false;
      child.stderr.on("data", (text) => {
        said += text;
        const link = /^(http:\/\/\S+)$/m.exec(said)?.[1];
        if (link === undefined || clicked) return;
        clicked = true;
        void lab.approvals.decide(link);
      });
      child.on("error", reject);
      child.on("exit", (code) =>
        code === 0 ? resolve(performance.now() - start) : reject(new Error(`${argv.join(" ")}: ${said}`)),
      );
    });
  try {
    writeFileSync(join(folder, "lab.yaml"), lab.settings);
    await run(["init", "brackwater.example", "--settings", "lab.yaml", "--dns-host", "nettlehost"]);
    const template = `http://${lab.approvals.place}/v2/domainTemplates/providers/pagewick.example/services/site`;
    await run(["intake", "--kit", template, "--input", "claim=77aa01bc", "--input", "site=brackwater"]);
    const update = [
      "--way",
      "update",
      "--server",
      lab.nettlehostServer,
      "--key-name",
      "brackwater-key",
      "--secret",
      "env:NETTLEHOST_TSIG",
    ];
    const publish = async (how) => {
      await run(["host", "set", "nettlehost", ...how]);
      const taken = await run(["publish", "--only", "pagewick-claim"]);
      lab.nettlehost.remove(apex, name("_pagewick", apex), "TXT");
      return taken;
    };
    const [bare, approved] = await inTurns(
      9,
      () => publish(update),
      () => publish(["--way", "approval"]),
    );
    limit("an approval beside the waiting, beyond the same publication by an update, ms", approved - bare, 300);
  } finally {
    await lab.close();
    rmSync(folder, { recursive: true, force: true });
  }
}
