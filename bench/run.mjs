// Benchmarks, each as a ratio to a floor that is measured in the same run. One line a figure.
// Words behind the command pick files by name: npm run bench -- dns
// --compare sets every figure beside the one recorded in baseline.json; --record writes that file again.
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { FIGURES } from "./measure.mjs";

const BASELINE = new URL("baseline.json", import.meta.url);
const given = process.argv.slice(2);
const wanted = given.filter((word) => !word.startsWith("--"));
for (const file of readdirSync(new URL(".", import.meta.url)).sort()) {
  if (["run.mjs", "measure.mjs"].includes(file) || !file.endsWith(".mjs")) continue;
  if (wanted.length > 0 && !wanted.some((word) => file.includes(word))) continue;
  await (await import(`./${file}`)).default();
}

const recorded = () => JSON.parse(readFileSync(BASELINE, "utf8"));
if (given.includes("--compare")) {
  const before = recorded();
  console.log("\nBeside the recorded figures:");
  for (const [what, now] of Object.entries(FIGURES)) {
    const was = before[what];
    const change =
      was === undefined ? "not recorded" : `${was} before, ${now > was ? "+" : ""}${Math.round((now / was - 1) * 100)} %`;
    console.log(`  ${what}: ${now} (${change})`);
  }
}
if (given.includes("--record")) {
  const all = wanted.length === 0 ? FIGURES : { ...recorded(), ...FIGURES };
  writeFileSync(BASELINE, `${JSON.stringify(all, null, 2)}\n`);
}
