// A sweep over domains of a local authority (knotd, with unbound in front): questions a second against the bare loop of the DNS
// benchmark, two threads against one, and the memory for few and for many domains.
import { spawn, spawnSync } from "node:child_process";
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { availableParallelism, cpus, tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { bareLoop, timed } from "./dns-client.mjs";
import { figure, limit, measuring } from "./measure.mjs";

const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));
const DOMAINS = 3000;
const FEW = 750;

/** Where the authority and the resolver of a bench listen. */
export const ADDRESS = "127.53.9.2";
export const RESOLVER = "127.53.9.9";
export const PORT = 5397;

/** What the zone of every domain holds. */
const CHILD = `$TTL 3600
@ SOA ns1.host.test. h.test. 1 3600 600 86400 300
@ NS ns1.host.test.
@ NS ns2.host.test.
@ A 192.0.2.80
www A 192.0.2.80
@ MX 10 mx.mailer.test.
@ TXT "v=spf1 include:spf.mailer.test -all"
_dmarc TXT "v=DMARC1; p=none"
`;

/** Domains served by knotd, with unbound in front, and a workspace that asks them; undefined where either is not installed. */
export async function localAuthority(count) {
  for (const needed of ["knotd", "unbound", "dig"])
    if (spawnSync("which", [needed]).status !== 0) {
      console.log(`--    ${needed} is not installed, nothing measured`);
      return undefined;
    }
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  const names = Array.from({ length: count }, (_, i) => `d${i}.test`);
  const write = (file, text) => writeFileSync(join(folder, file), text);
  for (const part of ["db", "domains"]) mkdirSync(join(folder, part));
  const soa = "@ SOA ns1.host.test. h.test. 1 3600 600 86400 300\n@ NS ns1.host.test.\n";
  write("root.zone", `$TTL 3600\n${soa}test. NS ns1.host.test.\nns1.host.test. A ${ADDRESS}\n`);
  const delegations = names.map((name) => `${name}. NS ns1.host\n${name}. NS ns2.host\n`).join("");
  const shared = `ns1.host A ${ADDRESS}\nns2.host A ${ADDRESS}\nspf.mailer TXT "v=spf1 ip4:192.0.2.0/24 -all"\nmx.mailer A 192.0.2.25\n`;
  write("test.zone", `$TTL 3600\n$ORIGIN test.\n${soa}${shared}${delegations}`);
  write("child.zone", CHILD);
  const answers = Array.from({ length: 1000 }, (_, i) => `n${i} TXT "answer ${i}"\n`).join("");
  write("bench.zone", `$TTL 60\n$ORIGIN bench.example.\n@ SOA ns h 1 60 60 60 60\n@ NS ns\nns A 127.0.0.1\n${answers}`);
  const zones = [
    [".", "root.zone"],
    ["test", "test.zone"],
    ["bench.example", "bench.zone"],
    ...names.map((name) => [name, "child.zone"]),
  ];
  write(
    "knot.conf",
    `server:\n  rundir: ${folder}\n  listen: [ ${ADDRESS}@${PORT}, 127.0.0.1@${PORT} ]\ndatabase:\n  storage: ${folder}/db\ntemplate:\n  - id: default\n    storage: ${folder}\n    zonefile-sync: -1\n    journal-content: none\nzone:\n${zones.map(([domain, file]) => `  - domain: ${domain}\n    file: ${file}\n`).join("")}`,
  );
  write(
    "unbound.conf",
    `server:\n  interface: ${RESOLVER}@${PORT}\n  port: ${PORT}\n  username: ""\n  chroot: ""\n  directory: ${folder}\n  do-not-query-localhost: no\n  access-control: 127.0.0.0/8 allow\n  module-config: "iterator"\n  pidfile: ""\n  use-syslog: no\nstub-zone:\n  name: "."\n  stub-addr: ${ADDRESS}@${PORT}\n`,
  );
  write(
    "zandrel.yaml",
    `version: 1\norganisation: Bench\nvantages: [{ name: near, resolver: "${RESOLVER}:${PORT}" }]\nservices: { seekmere: { title: Seekmere } }\ndefaults: { authorityPort: ${PORT} }\nanchors: ""\n`,
  );
  const children = [
    spawn("knotd", ["-c", join(folder, "knot.conf")], { stdio: "ignore" }),
    spawn("unbound", ["-d", "-c", join(folder, "unbound.conf")], { stdio: "ignore" }),
  ];
  const question = [`@${RESOLVER}`, "-p", String(PORT), `d${count - 1}.test`, "A", "+short", "+time=1", "+tries=1"];
  for (let i = 0; i < 100; i++) {
    if (String(spawnSync("dig", question).stdout).includes("192.0.2.80")) break;
    await new Promise((resolve) => setTimeout(resolve, 300));
  }
  return {
    folder,
    names,
    /** The questions that a run of the program sends, as SERVER NAME TYPE. */
    questionsOf(argv) {
      const QUESTIONS = join(folder, "questions");
      writeFileSync(QUESTIONS, "");
      const hook = fileURLToPath(new URL("questions.cjs", import.meta.url));
      spawnSync(process.execPath, ["--require", hook, program, ...argv], { cwd: folder, env: { ...process.env, QUESTIONS } });
      return readFileSync(QUESTIONS, "utf8").trim().split("\n");
    },
    close() {
      for (const child of children) child.kill("SIGKILL");
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Seconds that all cores of the machine were busy since it started. */
const busySeconds = () => cpus().reduce((sum, { times: { user, nice, sys, irq } }) => sum + user + nice + sys + irq, 0) / 1000;

export default async function sweep() {
  const authority = await localAuthority(2 * DOMAINS + FEW);
  if (authority === undefined) return;
  const { folder, names } = authority;
  try {
    const measure = measuring(folder);
    // Each run has domains of its own, none of which the resolver knows yet.
    let taken = 0;
    const run = (count, threads) => {
      const list = `list-${taken}.txt`;
      writeFileSync(join(folder, list), `${names.slice(taken, (taken += count)).join("\n")}\n`);
      const argv = [program, "sweep", list, "--threads", String(threads), "--fail-on", "never", "--json", "--timeout", "5"];
      return measure(argv, { cwd: folder });
    };
    // The questions of one run, counted once: the same in every run.
    writeFileSync(join(folder, "counted.txt"), `${names.slice(0, 200).join("\n")}\n`);
    const each = authority.questionsOf(["sweep", "counted.txt", "--threads", "1", "--json"]).length / 200;
    const before = busySeconds();
    const alone = run(DOMAINS, 1);
    // The name servers run on the same cores: with them, one thread keeps this many busy, and no more threads help than are left.
    const cores = availableParallelism();
    const most = cores / Math.max(1, (busySeconds() - before) / (alone.taken / 1000));
    const [pair, few] = [run(DOMAINS, 2), run(FEW, 1)];
    const loop = bareLoop();
    const bare = 5000 / (await timed(loop.ask));
    loop.close();
    const rate = (each * DOMAINS) / (alone.taken / 1000);
    figure(
      `Sweep, questions a second (${Math.round(rate)}) against a bare loop (${Math.round(bare)})`,
      rate / bare,
      0.6,
      rate / bare >= 0.6,
    );
    const both = (each * DOMAINS) / (pair.taken / 1000);
    figure(
      `Sweep, two threads, questions a second (${Math.round(both)}) against a bare loop`,
      both / bare,
      0.96,
      both / bare >= 0.96,
    );
    console.log(
      `--    two threads against one: ${(alone.taken / pair.taken).toFixed(2)} x; ${cores} cores with the name servers on them allow ${most.toFixed(2)} x`,
    );
    limit(`Sweep, memory in MB (${DOMAINS} domains, one thread)`, alone.peak, 300);
    limit(`Sweep, memory in MB of two threads (${DOMAINS} domains)`, pair.peak, 300);
    figure(`Sweep, memory for ${DOMAINS / FEW} times as many domains`, alone.peak / few.peak, 1.2);
    figure(`Sweep, time a domain, ${DOMAINS / FEW} times as many`, alone.taken / DOMAINS / (few.taken / FEW), 1.1);
  } finally {
    authority.close();
  }
}
