// The same sweep with its jobs in a PostgreSQL database of this machine against jobs in a file.
import { spawn, spawnSync } from "node:child_process";
import { chmodSync, chownSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { figure, inTurns, wall } from "./measure.mjs";
import { localAuthority } from "./sweep.mjs";

const DOMAINS = 2000;
const DATABASE_PORT = 5439;
const ROOT = "/usr/lib/postgresql";
const program = fileURLToPath(new URL("../dist/zandrel.cjs", import.meta.url));

/** A database of its own in a temporary folder; undefined where PostgreSQL is not installed. */
async function database() {
  const version = existsSync(ROOT) ? readdirSync(ROOT).sort((a, b) => Number(b) - Number(a))[0] : undefined;
  if (version === undefined) {
    console.log("--    PostgreSQL is not installed, nothing measured");
    return undefined;
  }
  const folder = mkdtempSync(join(tmpdir(), "zandrel-bench-"));
  const isRoot = process.getuid?.() === 0;
  // It refuses to be run by root.
  /** @returns {{ program: string, argv: string[] }} */
  const asOwner = (...words) =>
    isRoot ? { program: "runuser", argv: ["-u", "postgres", "--", ...words] } : { program: words[0], argv: words.slice(1) };
  const bin = (name) => join(ROOT, version, "bin", name);
  if (isRoot) {
    const id = Number(/^postgres:[^:]*:(\d+):/m.exec(readFileSync("/etc/passwd", "utf8"))[1]);
    chownSync(folder, id, id);
  }
  chmodSync(folder, 0o700);
  const data = join(folder, "data");
  const init = asOwner(bin("initdb"), "-D", data, "-U", "zandrel", "-A", "trust", "--no-sync");
  spawnSync(init.program, init.argv);
  const serve = asOwner(bin("postgres"), "-D", data, "-p", String(DATABASE_PORT), "-h", "127.0.0.1", "-k", folder);
  const child = spawn(serve.program, serve.argv, { stdio: "ignore" });
  const ready = () => spawnSync(bin("pg_isready"), ["-h", "127.0.0.1", "-p", String(DATABASE_PORT)]).status === 0;
  for (let i = 0; i < 100 && !ready(); i++) await new Promise((resolve) => setTimeout(resolve, 100));
  return {
    url: `postgres://zandrel@127.0.0.1:${DATABASE_PORT}/postgres`,
    close() {
      const stop = asOwner(bin("pg_ctl"), "stop", "-D", data, "-m", "immediate");
      spawnSync(stop.program, stop.argv);
      child.kill("SIGKILL");
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

export default async function queue() {
  const [authority, shared] = [await localAuthority(DOMAINS), await database()];
  try {
    if (authority === undefined || shared === undefined) return;
    const { folder, names } = authority;
    let round = 0;
    const run = (...more) => {
      const list = `list-${++round}.txt`;
      writeFileSync(join(folder, list), `${names.join("\n")}\n`);
      const argv = ["sweep", list, "--threads", "1", "--fail-on", "never", "--json", "--timeout", "5", ...more];
      return wall([program, ...argv], { cwd: folder });
    };
    const [own, queued] = await inTurns(
      3,
      () => run(),
      () => run("--queue", shared.url),
    );
    figure(`Sweep of ${DOMAINS} domains, PostgreSQL (${Math.round(queued)} ms) against the file`, queued / own, 1.3);
  } finally {
    shared?.close();
    authority?.close();
  }
}
