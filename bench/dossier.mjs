// A dossier of a domain with 500 sources and a year of weekly reports: how long its pages take, and how large they get.
import { mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { limit, measuring } from "./measure.mjs";

const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));
const SOURCES = 500;
const WEEKS = 52;
const LAST = Date.parse("2026-03-02T00:00:00Z") / 1000;

/** Each source has a network, an envelope domain and a signer of its own, so that none is joined with another. */
const row = (i) => `<record><row><source_ip>10.${i >> 8}.${i & 255}.7</source_ip><count>${(i % 40) + 12}</count>
<policy_evaluated><disposition>none</disposition><dkim>${i % 3 ? "fail" : "pass"}</dkim><spf>fail</spf></policy_evaluated></row>
<identifiers><header_from>brackwater.example</header_from></identifiers>
<auth_results><dkim><domain>${i % 3 ? `signer${i}.example` : "brackwater.example"}</domain><selector>s${i}</selector><result>pass</result></dkim>
<spf><domain>bounce${i}.example</domain><result>pass</result></spf></auth_results></record>
`;

const report = (week) => {
  const end = LAST - week * 604_800;
  const rows = Array.from({ length: SOURCES }, (_, i) => row(i)).join("");
  return `<?xml version="1.0"?>
<feedback><report_metadata><org_name>Mallowmail</org_name><email>reports@mallowmail.example</email><report_id>w${week}</report_id>
<date_range><begin>${end - 86_400}</begin><end>${end - 1}</end></date_range></report_metadata>
<policy_published><domain>brackwater.example</domain><p>none</p></policy_published>
${rows}</feedback>
`;
};

export default async function dossier() {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  try {
    const write = (file, text) => writeFileSync(join(folder, file), text);
    for (const part of ["domains", "reports"]) mkdirSync(join(folder, part));
    write("zandrel.yaml", "version: 1\norganisation: Brackwater\n");
    write("domains/brackwater.example.yaml", "domain: brackwater.example\n");
    write(
      "brackwater.example.zone",
      '$TTL 60\n@ SOA a b 1 1 1 1 60\n@ NS ns1\n@ TXT "v=spf1 ip4:192.0.2.25 -all"\n_dmarc TXT "v=DMARC1; p=none"\n',
    );
    for (let week = 0; week < WEEKS; week++) write(`reports/${week}.xml`, report(week));
    const run = measuring(folder);
    run([program, "dmarc", "import", "reports"], { cwd: folder });
    const asked = ["--zone-file", "brackwater.example.zone", "--at", "2026-03-02T09:00Z"];
    const taken = [1, 2, 3].map(
      (round) => run([program, "dossier", ...asked, "--folder", `pages${round}`], { cwd: folder }).taken,
    );
    limit("a dossier of 500 sources and a year of weeks, ms", taken.sort((a, b) => a - b)[1], 2000);
    const pages = readdirSync(join(folder, "pages1")).map((file) => statSync(join(folder, "pages1", file)).size);
    limit("its largest page, kB", Math.max(...pages) / 1000, 1500);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
