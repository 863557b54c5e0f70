import { type Failings, problem, say, usage } from "./words.ts";

export const LAB = {
  "port-taken": usage(({ port, first }: { port: number; first: number }) =>
    say(
      `port ${port} is in use on a loopback address, perhaps by another lab, which takes six ports from ${first} on`,
      "stop it, or choose others with --port",
      "--port",
    ),
  ),
  "port-rights": usage(({ port }: { port: number }) =>
    say(`port ${port} needs more rights than you have`, "choose one above 1023 with --port", "--port"),
  ),
  "no-loopback": usage(() =>
    say(
      "this system has no loopback addresses beside 127.0.0.1",
      "add 127.53.0.1 to 127.53.0.34, 127.53.1.35 and 127.53.2.36 to its loopback interface, then try again",
    ),
  ),
  "demo-broke-off": problem(({ argv, ended, expected }: { argv: readonly string[]; ended: number; expected: number }) =>
    say(
      `the demo broke off: zandrel ${argv.join(" ")} ended with ${ended} instead of ${expected}`,
      "this is a defect, please report it",
    ),
  ),
} satisfies Failings;
