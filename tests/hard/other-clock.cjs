/**
 * Loaded before the program: everything that waits goes faster, and the time of day is what a file says, as where somebody sets the clock
 * of a machine. What only goes forward is not set with it.
 */
const { readFileSync } = require("node:fs");

const SPEED = Number(process.env.CLOCK_SPEED);
const file = process.env.CLOCK_FILE;
const began = Date.now();
const elapsed = performance.now.bind(performance);
const set = () => Number(readFileSync(file, "utf8"));
performance.now = () => elapsed() * SPEED;
Date.now = () => Math.round(began + elapsed() * SPEED + set());
const later = setTimeout;
globalThis.setTimeout = Object.assign((work, ms, ...given) => later(work, ms / SPEED, ...given), later);
