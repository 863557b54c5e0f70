/**
 * The simulated services that ship with Zandrel, all on loopback, all speaking the real protocols.
 *
 * ```ts
 * const lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), speed: 300, port: 5300 });
 * lab.settings;   // contents of a zandrel.yaml that points at it
 * lab.env;        // secrets and the clock, for the processes that use it
 * await passDays(lab, 7);   // a week of mail, and a report on every day of it
 * await lab.close();
 * ```
 */
export { startLab } from "./lab.ts";
export { passDays } from "./traffic.ts";
