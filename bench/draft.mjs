// A draft for a domain with 200 asks against a zone of 5 000 records, beyond start-up, against an empty Node process.
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { figure, inTurns, wall } from "./measure.mjs";

const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));

export default async function draft() {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  try {
    mkdirSync(join(folder, "domains"));
    writeFileSync(join(folder, "zandrel.yaml"), "version: 1\norganisation: Bench\nservices:\n  s: { title: S }\n");
    const write = (asks, records) => {
      const list = Array.from(
        { length: asks },
        (_, i) => `  - id: a${i}\n    service: s\n    purpose: ownership\n    records: |\n      _a${i} TXT "k=${i}"\n`,
      );
      writeFileSync(
        join(folder, "domains/bench.example.yaml"),
        `domain: bench.example\nasks:${list.length === 0 ? " []" : ""}\n${list.join("")}`,
      );
      writeFileSync(
        join(folder, "bench.example.zone"),
        `$ORIGIN bench.example.\n$TTL 1h\n@ SOA ns h 1 2h 15m 2w 5m\n@ NS ns\nns A 192.0.2.1\n${Array.from({ length: records }, (_, i) => `h${i} A 192.0.2.${i % 250}\n`).join("")}`,
      );
    };
    const argv = [program, "draft", "--workspace", folder, "--zone-file", join(folder, "bench.example.zone"), "--json"];
    const timed = (asks, records) => () => {
      write(asks, records);
      return wall(argv);
    };
    const [empty, small, large] = await inTurns(9, () => wall(["-e", "0"]), timed(0, 0), timed(200, 5000));
    figure("draft of 200 asks on 5 000 records beyond start-up, against node -e 0", (large - small) / empty, 3);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
