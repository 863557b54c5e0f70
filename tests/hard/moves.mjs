import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { hasPostgres, startPostgres } from "../postgres-server.mjs";
import { folder, note, random, run, start } from "./base.mjs";

const KILLS = 40;

/** Moves of everything that is kept, into a shared database and back, each killed at some moment of its life and taken up again. */
export async function moves() {
  if (!hasPostgres) {
    if (process.env.ZANDREL_REQUIRE_SERVERS === "1") note("kills of moves", "PostgreSQL is not installed", "no server");
    return;
  }
  const postgres = await startPostgres();
  const here = folder();
  const env = { JOURNAL: postgres.url };
  const zandrel = (...argv) => run(here, argv, { env });
  const isShared = () => /^journal: env:/m.test(readFileSync(join(here, "zandrel.yaml"), "utf8"));
  const story = async () => (await zandrel("history", "--json")).out;
  try {
    await zandrel("init", "brackwater.example");
    for (let i = 0; i < 3; i++)
      await zandrel("intake", "--add-service", `Seekmere ${i}`, "--type", "TXT", "--host", "@", "--value", `seek=${i}`);
    await zandrel("retire", "seekmere-0-ownership", "--keep-records");
    const eventsOf = (text) => JSON.stringify(JSON.parse(text).events);
    const before = eventsOf(await story());
    let typical = 900;
    for (let i = 0; i < KILLS; i++) {
      const to = isShared() ? "here" : "env:JOURNAL";
      const marker = join(here, ".zandrel/moving.json");
      const isOnItsWay = existsSync(marker) && JSON.parse(readFileSync(marker, "utf8")).to !== "here";
      // What was moved back is still in the database, which has to be an empty one for the next time.
      if (to !== "here" && !isOnItsWay) await postgres.ask("DROP SCHEMA IF EXISTS zandrel_workspace CASCADE");
      const { child, done } = start(here, ["journal", to], { env });
      const timer = setTimeout(() => child.kill("SIGKILL"), typical * (0.2 + random()));
      const ended = await done;
      clearTimeout(timer);
      if (ended.signal === null) typical = ended.seconds * 1000;
      const after = await story();
      let held = after !== "" && eventsOf(after) === before ? true : `the story is another one: ${after}`;
      // Half of them go on with the same call, half with whatever comes next.
      if (held === true && i % 2 === 0) {
        const again = await zandrel("journal", to);
        if (again.exit !== 0 && !/is kept .* already/.test(again.err)) held = `the next call: ${again.err}`;
        else if (eventsOf(await story()) !== before) held = "the story is another one after the next call";
        else if (existsSync(marker)) held = "the move is never over";
      }
      note("kills of moves", held, `${to}, kill ${i}`);
    }
  } finally {
    await postgres.close();
  }
}
