// Reading a zone file of 200 000 records and writing it back, against named-checkzone on the same file.
import { spawnSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build } from "esbuild";
import { figure, inTurns, wall } from "./measure.mjs";

const RECORDS = 200_000;
const MAX_MEMORY = 600;

export default async function zoneFile() {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  try {
    const zone = join(folder, "big.zone");
    const lines = Array.from({ length: RECORDS }, (_, i) =>
      i % 4 === 0
        ? `h${i} IN A 192.0.2.${i % 250}`
        : i % 4 === 1
          ? `t${i} 300 IN TXT "value ${i}" ; note`
          : i % 4 === 2
            ? `m${i} MX 10 h${i - 2}`
            : `c${i} CNAME h${i - 3}`,
    );
    writeFileSync(
      zone,
      `$ORIGIN bench.example.\n$TTL 1h\n@ SOA ns h 1 2h 15m 2w 5m\n@ NS ns\nns A 192.0.2.1\n${lines.join("\n")}\n`,
    );
    await build({
      entryPoints: ["src/core/zone/index.ts"],
      bundle: true,
      platform: "node",
      format: "esm",
      outfile: join(folder, "zone.mjs"),
      logLevel: "error",
    });
    const script = join(folder, "read.mjs");
    writeFileSync(
      script,
      `import { readFileSync, writeFileSync } from "node:fs";
import { editZone, readZone } from "./zone.mjs";
const text = readFileSync(${JSON.stringify(zone)}, "latin1");
const document = readZone(text);
if (document.issues.length > 0 || document.entries.length !== ${RECORDS + 3}) throw new Error("not read whole");
writeFileSync(${JSON.stringify(`${zone}.out`)}, document.text, "latin1");
process.stdout.write(String(Math.round(process.resourceUsage().maxRSS / 1024)));
`,
    );
    const checkZone = () => {
      const start = performance.now();
      const { status, error } = spawnSync("named-checkzone", ["-q", "-i", "none", "bench.example", zone]);
      if (error !== undefined || status !== 0)
        throw new Error("named-checkzone (package bind9-utils) is needed, and has to accept the file");
      return performance.now() - start;
    };
    const [theirs, own] = await inTurns(5, checkZone, () => wall([script]));
    figure("zone file of 200 000 records read and written back, against named-checkzone", own / theirs, 4);
    const journalled = Number(spawnSync(process.execPath, [script], { encoding: "utf8" }).stdout);
    figure(`  its peak memory (${journalled} MB) against ${MAX_MEMORY} MB`, journalled / MAX_MEMORY, 1);
    const same = readFileSync(zone).equals(readFileSync(`${zone}.out`));
    figure("  octets that differ after writing it back", same ? 0 : 1, 0);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
