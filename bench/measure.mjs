// How figures are measured: in turns with their floor, as ratios.
import { spawnSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { join } from "node:path";

/** Wall time of one process in milliseconds. */
export function wall(argv, options = {}) {
  const start = performance.now();
  const { status, stderr } = spawnSync(process.execPath, argv, { stdio: ["ignore", "ignore", "pipe"], ...options });
  if (status !== 0) throw new Error(`${argv.join(" ")} ended with ${status}: ${stderr}`);
  return performance.now() - start;
}

const median = (numbers) => [...numbers].sort((a, b) => a - b)[Math.floor(numbers.length / 2)];

/** Runs the measurements in turns, so that whatever else the machine does hits all alike; gives back the medians. */
export async function inTurns(rounds, ...measures) {
  const taken = measures.map(() => []);
  for (let i = 0; i < rounds; i++) for (const [j, measure] of measures.entries()) taken[j].push(await measure());
  return taken.map(median);
}

/** Every figure of this run, by its name without the counts in brackets, which differ from run to run. */
export const FIGURES = {};
const nameOf = (what) => what.replace(/\s*\([^)]*\)/g, "").trim();

/** Prints a figure: what it is, the ratio, the limit, and whether it holds. */
export function figure(what, ratio, limit, met = ratio <= limit) {
  FIGURES[nameOf(what)] = Number(ratio.toFixed(2));
  console.log(`${met ? "ok  " : "OVER"}  ${what}: ${ratio.toFixed(2)} x (limit ${limit} x)`);
  if (!met) process.exitCode = 1;
}

/** Prints a figure that is not a ratio. */
export function limit(what, value, most) {
  FIGURES[nameOf(what)] = Number(value.toFixed(1));
  console.log(`${value <= most ? "ok  " : "OVER"}  ${what}: ${value.toFixed(1)} (limit ${most})`);
  if (value > most) process.exitCode = 1;
}

/** Makes a function that runs a process and gives back its wall time in milliseconds and its peak memory in MB. */
export function measuring(folder) {
  const hook = join(folder, "hook.cjs");
  writeFileSync(
    hook,
    "process.on('exit', () => require('node:fs').writeSync(2, '\\npeak ' + /VmHWM:\\s+(\\d+)/.exec(require('node:fs').readFileSync('/proc/self/status', 'utf8'))[1] + '\\n'));",
  );
  return (argv, options = {}) => {
    const start = performance.now();
    const { status, stderr } = spawnSync(process.execPath, ["--require", hook, ...argv], {
      stdio: ["ignore", "ignore", "pipe"],
      ...options,
    });
    const taken = performance.now() - start;
    if (status === null || status === 2) throw new Error(`${argv.join(" ")} ended with ${status}: ${stderr}`);
    return { taken, peak: Number(/peak (\d+)/.exec(String(stderr))?.[1]) / 1024 };
  };
}
