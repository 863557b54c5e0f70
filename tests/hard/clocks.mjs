import { mkdirSync, renameSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { DOMAIN, folder, note, pick, random, run, start, tokenServer } from "./base.mjs";

/** How much faster than here it goes in the program, and for how long the guard is given to notice something (milliseconds, here). */
const SPEED = 60;
const PATIENCE = 120_000;
const GUARDS = 6;
const JUMPS = 10;
const MINUTE = 60_000;

/** A guard whose machine has its clock set again and again: each time it says so once and looks, and what changed meanwhile is told once. */
async function oneGuard(number) {
  const here = folder();
  const server = await tokenServer();
  const clock = join(here, "clock");
  const setTo = (ms) => {
    writeFileSync(`${clock}.new`, String(Math.round(ms)));
    renameSync(`${clock}.new`, clock);
  };
  let offset = 0;
  setTo(offset);
  writeFileSync(
    join(here, "zandrel.yaml"),
    `version: 1\norganisation: Brackwater\nvantages: [{ name: here, resolver: "${server.address}" }]\nservices:\n  quaylet: { title: Quaylet }\ndefaults: { authorityPort: ${server.address.split(":")[1]} }\n`,
  );
  mkdirSync(join(here, "domains"));
  writeFileSync(
    join(here, "domains/brackwater.example.yaml"),
    'domain: brackwater.example\nasks:\n  - id: token\n    service: quaylet\n    purpose: ownership\n    records: |\n      _quaylet TXT "quaylet=1"\n',
  );
  await run(here, ["prove", DOMAIN, "--confirmed", "--force", "--note", "it is there"]);
  const { child, done } = start(here, ["guard", "--json", "--timeout", "600"], {
    env: {
      NODE_OPTIONS: `--require ${new URL("other-clock.cjs", import.meta.url).pathname}`,
      CLOCK_FILE: clock,
      CLOCK_SPEED: String(SPEED),
    },
  });
  const said = { out: "", err: "" };
  child.stdout.on("data", (text) => (said.out += text));
  child.stderr.on("data", (text) => (said.err += text));
  const seen = async (isSo) => {
    for (const until = performance.now() + PATIENCE; performance.now() < until; ) {
      if (isSo()) return true;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    return false;
  };
  const jumps = () => said.err.match(/^The clock of this machine was set/gm)?.length ?? 0;
  const told = () =>
    said.out
      .split("\n")
      .filter((line) => line !== "")
      .flatMap((line) => JSON.parse(line).notices)
      .filter(({ watched }) => watched === "proof")
      .map(({ notice }) => notice);
  note("clocks set while the guard runs", (await seen(() => said.out !== "")) || said.err, `guard ${number} begins`);
  const expected = [];
  for (let jump = 1; jump <= JUMPS; jump++) {
    const by = pick([-1, 1]) * (2 + random() ** 4 * 60 * 24 * 30) * MINUTE;
    // Every third time something changes while nobody knows what time it is.
    if (jump % 3 === 0) {
      server.state.isThere = !server.state.isThere;
      expected.push(server.state.isThere ? "recovered" : "lapsed");
    }
    const { asked } = server.state;
    offset += by;
    setTo(offset);
    const looked = await seen(() => server.state.asked > asked && jumps() === jump && told().length >= expected.length);
    note(
      "clocks set while the guard runs",
      !looked
        ? `${server.state.asked - asked} questions, said ${jumps()} of ${jump} times, told ${told()}: ${said.err}`
        : String(told()) === String(expected) || `told ${told()}, and not ${expected}`,
      `guard ${number}, jump ${jump} by ${Math.round(by / MINUTE)} minutes`,
    );
  }
  child.kill("SIGTERM");
  await done;
  server.close();
}

export async function clocks() {
  await Promise.all(Array.from({ length: GUARDS }, (_, number) => oneGuard(number)));
}
