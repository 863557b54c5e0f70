// SPF with a warm lookup, against splitting the record on blanks.

import { internals } from "../internals.mjs";
import { figure, inTurns } from "./measure.mjs";

const { checkSpf, memoized, name, readZone, zoneLookup, zonesOf } = await internals(
  "core/lookup/index.ts",
  "core/name/index.ts",
  "core/spf/index.ts",
  "core/zone/index.ts",
);

const ROUNDS = 20_000;
const RECORD = `v=spf1 ${Array.from({ length: 9 }, (_, i) => `ip4:198.51.100.${i * 8}/29`).join(" ")} -all`;

export default async function spf() {
  const lookup = memoized(
    zoneLookup(zonesOf(readZone(`$ORIGIN brackwater.example.\n$TTL 60\n@ SOA a b 1 1 1 1 60\n@ TXT "${RECORD}"\n`))),
  );
  await lookup.ask(name("brackwater.example"), "TXT");
  const check = { ip: "203.0.113.9", from: "box@brackwater.example", helo: "out.brackwater.example" };
  let words = 0;
  const split = () => {
    const start = performance.now();
    for (let i = 0; i < ROUNDS; i++) words += RECORD.split(" ").length;
    return performance.now() - start;
  };
  const evaluate = async () => {
    const start = performance.now();
    for (let i = 0; i < ROUNDS; i++) if ((await checkSpf(check, lookup)).result !== "fail") throw new Error("wrong result");
    return performance.now() - start;
  };
  const [floor, taken] = await inTurns(7, split, evaluate);
  if (words === 0) throw new Error("nothing was split");
  const second = Math.round((ROUNDS / taken) * 1000);
  figure(
    `SPF, ten flat terms, against splitting (${second.toLocaleString("en")} a second)`,
    taken / floor,
    10,
    taken / floor <= 10 || second >= 100_000,
  );
}
