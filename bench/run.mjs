// Benchmarks, each as a ratio to a floor that is measured in the same run. One line a figure.
// Words behind the command pick files by name: npm run bench -- dns
import { readdirSync } from "node:fs";

const wanted = process.argv.slice(2);
for (const file of readdirSync(new URL(".", import.meta.url)).sort()) {
  if (["run.mjs", "measure.mjs"].includes(file) || !file.endsWith(".mjs")) continue;
  if (wanted.length > 0 && !wanted.some((word) => file.includes(word))) continue;
  await (await import(`./${file}`)).default();
}
