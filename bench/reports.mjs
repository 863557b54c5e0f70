// Aggregate reports: 1 000 of them, 200 MB of XML, against a bare pass of the XML parser; then questions to 5 million rows.
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { figure, inTurns, limit, measuring } from "./measure.mjs";

const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));
const require = createRequire(import.meta.url);
const REPORTS = 1000;
const ROWS = 420;

const FLOOR = `
const { SaxesParser } = require(${JSON.stringify(require.resolve("saxes"))});
const { createReadStream, readdirSync } = require("node:fs");
(async () => {
  let tags = 0;
  for (const file of readdirSync(process.argv[1])) {
    const parser = new SaxesParser();
    parser.on("opentag", () => { tags++; });
    parser.on("text", () => {});
    for await (const chunk of createReadStream(process.argv[1] + "/" + file, "utf8")) parser.write(chunk);
    parser.close();
  }
  if (tags < 1e6) throw new Error("too few tags");
})();
`;

const row = (i, report) => `  <record>
    <row>
      <source_ip>198.51.100.${(i * 7 + report) % 250}</source_ip>
      <count>${(i % 9) + 1}</count>
      <policy_evaluated>
        <disposition>none</disposition>
        <dkim>${i % 5 ? "pass" : "fail"}</dkim>
        <spf>pass</spf>
      </policy_evaluated>
    </row>
    <identifiers>
      <header_from>brackwater.example</header_from>
    </identifiers>
    <auth_results>
      <dkim><domain>brackwater.example</domain><selector>hp${i % 3}</selector><result>${i % 5 ? "pass" : "fail"}</result></dkim>
      <spf><domain>bounce.brackwater.example</domain><result>pass</result></spf>
    </auth_results>
  </record>
`;

const report = (id) =>
  `<?xml version="1.0"?>\n<feedback>\n<report_metadata><org_name>Mallowmail</org_name><email>reports@mallowmail.example</email><report_id>${id}</report_id><date_range><begin>${1_772_323_200 - (id % 90) * 86_400}</begin><end>${1_772_409_599 - (id % 90) * 86_400}</end></date_range></report_metadata>\n<policy_published><domain>brackwater.example</domain><p>none</p></policy_published>\n${Array.from({ length: ROWS }, (_, i) => row(i, id)).join("")}</feedback>\n`;

function workspace(folder) {
  mkdirSync(join(folder, "domains"), { recursive: true });
  writeFileSync(join(folder, "zandrel.yaml"), "version: 1\norganisation: Brackwater\n");
  writeFileSync(join(folder, "domains", "brackwater.example.yaml"), "domain: brackwater.example\n");
  writeFileSync(join(folder, "brackwater.example.zone"), '$TTL 60\n@ SOA a b 1 1 1 1 60\n_dmarc TXT "v=DMARC1; p=none"\n');
}

async function imports(folder) {
  const reports = join(folder, "reports");
  mkdirSync(reports);
  let octets = 0;
  for (let i = 0; i < REPORTS; i++) {
    const text = report(i);
    octets += text.length;
    writeFileSync(join(reports, `${i}.xml`), text);
  }
  const run = measuring(folder);
  let peak = 0;
  let round = 0;
  const [floor, taken] = await inTurns(
    3,
    () => run(["-e", FLOOR, reports]).taken,
    () => {
      const here = join(folder, `w${round++}`);
      workspace(here);
      const ran = run([program, "dmarc", "import", reports], { cwd: here });
      peak = Math.max(peak, ran.peak);
      return ran.taken;
    },
  );
  figure(
    `importing ${REPORTS} reports (${Math.round(octets / 1e6)} MB) against a bare pass of the XML parser`,
    taken / floor,
    1.5,
  );
  limit("importing reports, memory, MB", peak, 200);
}

/** A store as a flood of forgers would leave it: sums of half a year, from addresses that all differ. */
function flood(path, rows) {
  const Database = require("libsql");
  const database = new Database(path);
  database.exec("PRAGMA synchronous = OFF");
  database.exec(
    `WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i < ${rows / 25 - 1})
     INSERT INTO origin (key, from_domain, ip, signer, selector, spf_domain, envelope, dkim_aligned, spf_aligned, signer_passes, spf_passes, overrides)
     SELECT 'k' || i, 'brackwater.example.', '10.' || (i / 65536) || '.' || (i / 256 % 256) || '.' || (i % 256), '', '', '', '', 0, 0, 0, 0, '' FROM n`,
  );
  database.exec(
    "WITH RECURSIVE d(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM d WHERE i < 24) INSERT INTO tally SELECT origin.id, 20510 - 7 * d.i, 'none', 3 FROM origin, d WHERE origin.key LIKE 'k%'",
  );
  database.close();
}

const COUNT = `const D = require(${JSON.stringify(require.resolve("libsql"))}); const d = new D(process.argv[1]); if (d.prepare("SELECT count(*) AS n FROM tally").get().n < 4e6) throw new Error("too few");`;

async function questions(folder) {
  const here = join(folder, "flood");
  workspace(here);
  const run = measuring(folder);
  writeFileSync(join(here, "one.xml"), report(0));
  run([program, "dmarc", "import", "one.xml"], { cwd: here });
  const path = join(here, ".zandrel", "reports.db");
  flood(path, 5_000_000);
  const peaks = { sources: 0, advise: 0 };
  const asked = (what) => {
    const ran = run([program, "dmarc", what, "--days", "180", "--zone-file", "brackwater.example.zone", "--json"], { cwd: here });
    peaks[what] = Math.max(peaks[what], ran.peak);
    return ran.taken;
  };
  const [floor, sources, advise] = await inTurns(
    3,
    () => run(["-e", COUNT, path]).taken,
    () => asked("sources"),
    () => asked("advise"),
  );
  figure("dmarc sources over 5 million rows against counting them", sources / floor, 20);
  figure("dmarc advise over 5 million rows against counting them", advise / floor, 20);
  limit("dmarc sources over 5 million rows, memory, MB", peaks.sources, 300);
  limit("dmarc advise over 5 million rows, memory, MB", peaks.advise, 300);
}

export default async function reports() {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  try {
    await imports(folder);
    await questions(folder);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
