import { availableParallelism } from "node:os";

// Times are shown in UTC, whatever the machine says.
process.env.TZ = "UTC";

/** Unit tests sit beside the code; tests of the built program sit in tests/. */
export default {
  testEnvironment: "node",
  // Wrapping what tests leave behind costs more with every file, until the stack of a long run is full.
  testEnvironmentOptions: { globalsCleanup: "off" },
  roots: ["<rootDir>/src", "<rootDir>/tests"],
  testMatch: ["**/*.test.ts"],
  extensionsToTreatAsEsm: [".ts"],
  transform: {
    "^.+\\.ts$": ["@swc/jest", { jsc: { target: "es2022", parser: { syntax: "typescript" } }, module: { type: "es6" } }],
  },
  // A third of what the slow suites take is waiting, for servers, caches and programs: one more than there are cores.
  maxWorkers: availableParallelism() + 1,
  testTimeout: 300_000,
  reporters: ["default", "<rootDir>/tests/slowest.mjs"],
  // What of the sources the tests beside them reach; the built program is not counted.
  collectCoverage: process.env.ZANDREL_COVERAGE === "1",
  coverageProvider: "v8",
  coverageReporters: ["text-summary"],
  collectCoverageFrom: ["src/**/*.ts", "!src/**/*.test.ts"],
  globalSetup: "<rootDir>/tests/setup.mjs",
};
