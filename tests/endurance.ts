import { type ChildProcess, spawn } from "node:child_process";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { expect, test } from "@jest/globals";
import { name } from "../src/core/name/index.ts";
import { startLab } from "../src/lab/index.ts";
import { startPostgres } from "./postgres.ts";
import { randomFrom } from "./random.mjs";
import { ENVIRONMENT, folderWith, PROGRAM, started, stillFor } from "./zandrel.ts";

/**
 * A long run (`npm run test:endurance`, for as many minutes as `ZANDREL_MINUTES` says): one guard over fifty domains, killed at random,
 * while the clock is set, the shared database comes and goes, the DNS host lies and records are taken away and come back. Every change
 * has to be told once, nothing may be lost, and the memory stays flat. It prints what happened.
 */
const MINUTES = Number(process.env.ZANDREL_MINUTES ?? 20);
const SEED = Number(process.env.ZANDREL_SEED ?? Date.now() % 2 ** 31);
const { random, below, pick } = randomFrom(SEED);
const HOUR = 3_600_000;
const DOMAINS = Array.from({ length: 50 }, (_, i) => `d${String(i + 1).padStart(2, "0")}.example`);
const HEAD =
  "@ SOA ns1.nettlehost.example. h.nettlehost.example. 1 2h 15m 2w 5m\n@ NS ns1.nettlehost.example.\n@ NS ns2.nettlehost.example.\n";
const SERVERS = ["ns1.nettlehost", "ns2.nettlehost"];

interface Notice {
  readonly id: number;
  readonly domain: string;
  readonly notice: string;
  readonly watched: string;
}

test(
  "every change is told once, nothing is lost, and the memory stays flat",
  async () => {
    const lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
    const postgres = await startPostgres();
    const counts = { kills: 0, clocks: 0, outages: 0, lies: 0, changes: 0 };
    const log = (what: string): void => void process.stderr.write(`${new Date().toISOString().slice(11, 19)} ${what}\n`);
    try {
      const folder = folderWith({ "zandrel.yaml": `${lab.settings}journal: env:JOURNAL\n` });
      mkdirSync(join(folder, "domains"));
      const tokenOf = (domain: string) => ({
        ...{ name: name(`_quaylet.${domain}`), type: "TXT" as const, ttl: 600 },
        data: [{ strings: [`quaylet=${domain}`] }],
      });
      writeFileSync(
        join(folder, "zandrel.yaml"),
        readFileSync(join(folder, "zandrel.yaml"), "utf8").replace(
          /\nservices:\n/,
          "\nservices:\n  quaylet:\n    title: Quaylet\n",
        ),
      );
      for (const domain of DOMAINS) {
        lab.registry.put(name("example"), {
          ...{ name: name(domain), type: "NS", ttl: 3600 },
          data: SERVERS.map((server) => ({ target: name(`${server}.example`) })),
        });
        lab.nettlehost.serve(name(domain), HEAD);
        lab.nettlehost.put(name(domain), tokenOf(domain));
        writeFileSync(
          join(folder, `domains/${domain}.yaml`),
          `domain: ${domain}\nhost: nettlehost\nasks:\n  - id: token\n    service: quaylet\n    purpose: ownership\n    records: |\n      _quaylet TXT "quaylet=${domain}"\n`,
        );
      }
      const env = { ...ENVIRONMENT, HOME: folder, ...stillFor(lab), JOURNAL: postgres.url };
      // The secondary server has fetched everything, and nobody remembers that there was nothing.
      lab.clock.leap(2 * HOUR);
      const status = await started(folder, ["status", "--json"], { env });
      expect(status.json.domains.every(({ asks }: { asks: { state: string }[] }) => asks[0]?.state === "settled")).toBe(true);

      const notices = new Map<number, Notice>();
      let child: ChildProcess | undefined;
      let memory = 0;
      let crash = "";
      const begin = (): void => {
        let text = "";
        const own = spawn(process.execPath, [PROGRAM, "guard", "--json", "--timeout", "2"], { cwd: folder, env });
        child = own;
        own.stdout.on("data", (chunk) => {
          text += chunk;
          for (let end = text.indexOf("\n"); end !== -1; end = text.indexOf("\n")) {
            for (const notice of JSON.parse(text.slice(0, end)).notices) notices.set(notice.id, notice);
            text = text.slice(end + 1);
          }
        });
        own.stderr.on("data", (chunk) => {
          if (/\n\s+at |TypeError|RangeError|node:internal/.test(String(chunk))) crash += String(chunk);
        });
        own.on("exit", (code, signal) => {
          if (signal !== "SIGKILL" && child === own) crash += `the guard ended by itself with ${code}\n`;
        });
      };
      const rss = (): number =>
        Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${child?.pid}/status`, "utf8"))?.[1] ?? 0) / 1024;
      const kill = async (): Promise<void> => {
        const own = child as ChildProcess;
        child = undefined;
        const gone = new Promise((resolve) => own.once("exit", resolve));
        own.kill("SIGKILL");
        await gone;
        counts.kills += 1;
        begin();
      };
      /** What was told of the tokens, in the order in which it was. */
      const told = (domain: string) =>
        [...notices.values()]
          .filter((notice) => notice.watched === "proof" && notice.domain === `${domain}.`)
          .sort((a, b) => a.id - b.id)
          .map(({ notice }) => notice);
      const until = performance.now() + MINUTES * 60_000;
      const expected = new Map<string, string[]>(DOMAINS.map((domain) => [domain, []]));
      /** Something of everything that goes wrong, while a change is to be noticed. */
      const trouble = async (): Promise<void> => {
        const what = below(6);
        // In the second half it lives on, so that its memory can be seen.
        if (what === 0 && performance.now() < until - MINUTES * 30_000) await kill();
        else if (what === 1) {
          const by = Math.round((random() - 0.3) * 12 * HOUR);
          lab.clock.leap(by);
          counts.clocks += 1;
        } else if (what === 2) {
          await postgres.stop();
          await sleep(1000 + random() * 4000);
          await postgres.start();
          counts.outages += 1;
        } else if (what === 3) {
          for (const server of SERVERS) lab.nettlehost.sick.set(server, pick(["failing", "lame", "silent"]) as "failing");
          await sleep(1000 + random() * 3000);
          for (const server of SERVERS) lab.nettlehost.sick.delete(server);
          counts.lies += 1;
        } else await sleep(500);
      };
      begin();
      await sleep(10_000);
      const samples: number[] = [];
      while (performance.now() < until) {
        const domain = pick(DOMAINS) as string;
        const all = expected.get(domain) as string[];
        const isThere = all.at(-1) !== "lapsed";
        if (isThere) lab.nettlehost.remove(name(domain), name(`_quaylet.${domain}`), "TXT");
        else lab.nettlehost.put(name(domain), tokenOf(domain));
        all.push(isThere ? "lapsed" : "recovered");
        counts.changes += 1;
        for (let i = below(3); i > 0; i--) await trouble();
        // Now it is left in peace until it has been told; the next look is at hand once the caches are old.
        for (let i = 0; told(domain).length < all.length && i < 60; i++) {
          if (i % 12 === 0) lab.clock.leap(2 * HOUR);
          await sleep(1000);
        }
        expect([domain, told(domain)]).toEqual([domain, all]);
        if (child !== undefined) {
          memory = rss();
          samples.push(memory);
        }
        log(
          `${counts.changes} changes, ${counts.kills} kills, ${counts.clocks} clocks, ${counts.outages} outages, ${counts.lies} lies, ${memory.toFixed(0)} MiB`,
        );
      }
      const last = child;
      child = undefined;
      last?.kill("SIGTERM");
      // What the journal holds is what was told, each once.
      const events = (await started(folder, ["history", "--json"], { env })).json.events as { kind: string }[];
      log(
        `seed ${SEED}: ${JSON.stringify(counts)}, ${notices.size} notices, ${events.length} events, at most ${Math.max(...samples).toFixed(0)} MiB`,
      );
      expect(crash).toBe("");
      for (const [domain, all] of expected) expect([domain, told(domain)]).toEqual([domain, all]);
      const [third, end] = [samples.slice(-Math.ceil(samples.length / 3)), samples.slice(-5)];
      expect(Math.min(...end)).toBeLessThan(Math.min(...third.slice(0, 5)) * 1.5);
    } finally {
      await lab.close();
      await postgres.close();
    }
  },
  (MINUTES + 10) * 60_000,
);
