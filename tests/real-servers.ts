import { type ChildProcess, spawn } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe } from "@jest/globals";
import { execa } from "execa";

/** Real servers on loopback. With ZANDREL_REQUIRE_SERVERS=1 a server that is missing is a failure. */
export const BINARIES = {
  knotd: "/usr/sbin/knotd",
  named: "/usr/sbin/named",
  unbound: "/usr/sbin/unbound",
  exim: "/usr/sbin/exim4",
  kdig: "/usr/bin/kdig",
  dig: "/usr/bin/dig",
  checkzone: "/usr/bin/named-checkzone",
  kzonecheck: "/usr/bin/kzonecheck",
  keygen: "/usr/bin/dnssec-keygen",
  signzone: "/usr/bin/dnssec-signzone",
  dsfromkey: "/usr/bin/dnssec-dsfromkey",
};
export const missing = Object.entries(BINARIES).filter(([, path]) => !existsSync(path));
const required = process.env.ZANDREL_REQUIRE_SERVERS === "1";
export const describeServers = missing.length > 0 && !required ? describe.skip : describe;

const running: ChildProcess[] = [];
export function start(binary: string, argv: readonly string[]): void {
  const child = spawn(binary, argv, { stdio: ["ignore", "ignore", "inherit"] });
  running.push(child);
}

export async function answers(address: string, port: number, name: string, type: string): Promise<void> {
  for (let i = 0; i < 100; i++) {
    const { stdout } = await execa(BINARIES.dig, [`@${address}`, "-p", String(port), name, type, "+time=1", "+tries=1"], {
      reject: false,
    });
    if (/status: (NOERROR|NXDOMAIN)/.test(stdout)) return;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error(`the server at ${address} does not answer for ${name}`);
}

/** Ends every server that was started. */
export function stopServers(): void {
  for (const child of running.splice(0)) child.kill("SIGKILL");
}

/** Starts knotd with zones from files of the folder; `more` is configuration in front of them, `zone` what each zone gets. */
export function startKnot(
  folder: string,
  {
    listen,
    zones,
    more = "",
    zone = "",
  }: { listen: string; zones: Readonly<Record<string, string>>; more?: string; zone?: string },
): void {
  const run = join(folder, `knot-${listen.split("@")[0]}`);
  mkdirSync(join(run, "db"), { recursive: true });
  const list = Object.entries(zones).map(
    ([domain, file]) => `  - domain: ${domain}\n    storage: ${folder}\n    file: ${file}\n${zone}`,
  );
  writeFileSync(
    join(run, "knot.conf"),
    `server:\n  rundir: ${run}\n  listen: ${listen}\ndatabase:\n  storage: ${run}/db\n${more}zone:\n${list.join("")}`,
  );
  start(BINARIES.knotd, ["-c", join(run, "knot.conf")]);
}

/** Starts unbound as a caching vantage that knows which server answers for which zone. */
export function startUnbound(
  folder: string,
  address: string,
  port: number,
  servers: Readonly<Record<string, string>>,
  /** A DS record of the root: with it signatures are checked. */
  anchor?: string,
  /** The time by which they are checked, where it is not the real one. */
  at?: Date,
): void {
  const stubs = Object.entries(servers).map(
    ([zone, server]) => `stub-zone:\n  name: "${zone}"\n  stub-addr: ${server}@${port}\n`,
  );
  writeFileSync(
    join(folder, "unbound.conf"),
    `server:\n  interface: ${address}\n  port: ${port}\n  access-control: 127.0.0.0/8 allow\n  do-not-query-localhost: no\n  username: ""\n  chroot: ""\n  directory: "${folder}"\n  pidfile: "${folder}/unbound.pid"\n  use-syslog: no\n  logfile: "${folder}/unbound.log"\n  module-config: "${anchor === undefined ? "" : "validator "}iterator"\n${anchor === undefined ? "" : `  trust-anchor: "${anchor}"\n  ede: yes\n${at === undefined ? "" : `  val-override-date: "${at.toISOString().slice(0, 19).replace(/\D/g, "")}"\n`}`}  do-ip6: no\n  do-daemonize: no\n  num-threads: 1\n${stubs.join("")}remote-control:\n  control-enable: no\n`,
  );
  start(BINARIES.unbound, ["-d", "-c", join(folder, "unbound.conf")]);
}

/** Starts named with zones from files of the folder; it only listens on addresses that an interface really has. */
export function startNamed(
  folder: string,
  { address, port, zones }: { address: string; port: number; zones: Readonly<Record<string, string>> },
): void {
  const list = Object.entries(zones).map(
    ([domain, file]) => `zone "${domain}" { type primary; file "${join(folder, file)}"; };\n`,
  );
  writeFileSync(
    join(folder, "named.conf"),
    `options { directory "${folder}"; listen-on port ${port} { ${address}; }; listen-on-v6 { none; }; pid-file "${folder}/named.pid"; session-keyfile "${folder}/session.key"; recursion no; dnssec-validation no; };\ncontrols { };\n${list.join("")}`,
  );
  start(BINARIES.named, ["-f", "-c", join(folder, "named.conf")]);
}

/** Signs versions of a zone with the same keys, each into its own file; gives back the DS record as a zone-file line. */
export async function signVersions(folder: string, domain: string, versions: Readonly<Record<string, string>>): Promise<string> {
  const keygen = async (...more: string[]) =>
    (await execa(BINARIES.keygen, ["-q", "-a", "ECDSAP256SHA256", ...more, domain], { cwd: folder })).stdout.trim();
  const [ksk, zsk] = [await keygen("-f", "KSK"), await keygen()];
  const keys = [ksk, zsk].map((key) => readFileSync(join(folder, `${key}.key`), "utf8")).join("");
  for (const [file, text] of Object.entries(versions)) {
    writeFileSync(join(folder, file), `${text}${keys}`);
    await execa(BINARIES.signzone, ["-P", "-q", "-x", "-O", "full", "-o", domain, "-f", file, "-k", ksk, file, zsk], {
      cwd: folder,
    });
  }
  return (await execa(BINARIES.dsfromkey, ["-2", `${ksk}.key`], { cwd: folder })).stdout.trim();
}
