import type { Options } from "yargs";
import { Failure } from "../core/failure.ts";
import { parseSeconds } from "../core/record/index.ts";

/** One option: how yargs takes it, and how its text becomes a value that cannot be wrong. */
export interface Option<T> {
  readonly yargs: Options;
  /** @param given the text or texts of the command line; undefined where it was not given */
  read(given: unknown, name: string): T;
}

interface Extra<D> {
  readonly default?: D;
  /** Whether an empty text is a value. */
  readonly mayBeEmpty?: boolean;
}

const optional =
  <T>(read: (text: string, name: string) => T, fallback: T | undefined, mayBeEmpty = false) =>
  (given: unknown, name: string): T => {
    if (given === undefined) return fallback as T;
    if (given === "" && !mayBeEmpty) throw new Failure("option-empty", { option: name });
    return read(String(given), name);
  };

const yargsText = (describe: string, extra: Extra<unknown>): Options => ({
  type: "string",
  describe,
  ...(extra.mayBeEmpty ? {} : { requiresArg: true }),
  ...(extra.default === undefined ? {} : { defaultDescription: String(extra.default) }),
});

/** A switch that is off unless named, or on unless `--no-NAME`. */
export const flag = (describe: string, extra: { readonly default?: boolean } = {}): Option<boolean> => ({
  yargs: { type: "boolean", describe, ...(extra.default === true ? { default: true } : {}) },
  read: (given) => (given === undefined ? extra.default === true : given === true),
});

export function text(describe: string, extra: Extra<string> & { readonly default: string }): Option<string>;
export function text(describe: string, extra?: Extra<string>): Option<string | undefined>;
export function text(describe: string, extra: Extra<string> = {}): Option<string | undefined> {
  return {
    yargs: yargsText(describe, extra),
    read: optional<string | undefined>((value) => value, extra.default, extra.mayBeEmpty),
  };
}

/** An option that may be given several times. */
export const list = (describe: string): Option<readonly string[]> => ({
  yargs: { type: "string", array: true, requiresArg: true, describe: `${describe} (repeatable)` },
  read: (given) => (given === undefined ? [] : [given].flat().map(String)),
});

export function choice<const T extends string>(
  values: readonly T[],
  describe: string,
  extra: { readonly default: NoInfer<T> },
): Option<T>;
export function choice<const T extends string>(values: readonly T[], describe: string): Option<T | undefined>;
export function choice<const T extends string>(
  values: readonly T[],
  describe: string,
  extra: { readonly default?: NoInfer<T> } = {},
): Option<T | undefined> {
  return {
    yargs: { ...yargsText(`${describe}: ${values.join(", ")}`, extra) },
    read: optional<T | undefined>((value, option) => {
      if (!(values as readonly string[]).includes(value)) throw new Failure("option-choice", { option, value, values });
      return value as T;
    }, extra.default),
  };
}

interface Range {
  readonly min?: number;
  readonly max?: number;
  readonly whole?: boolean;
}

export function number(describe: string, extra: Range & { readonly default: number }): Option<number>;
export function number(describe: string, extra?: Range): Option<number | undefined>;
export function number(describe: string, extra: Range & { readonly default?: number } = {}): Option<number | undefined> {
  const { min = 0, max = Number.MAX_SAFE_INTEGER, whole = true } = extra;
  return {
    yargs: yargsText(describe, extra),
    read: optional<number | undefined>((value, option) => {
      const read = value.trim() === "" ? Number.NaN : Number(value);
      if (!(read >= min && read <= max) || (whole && !Number.isInteger(read)))
        throw new Failure("option-number", { option, value, min, max: extra.max, whole });
      return read;
    }, extra.default),
  };
}

/** A moment; milliseconds since 1970. */
export function time(describe: string, extra: { readonly default: string }): Option<number>;
export function time(describe: string): Option<number | undefined>;
export function time(describe: string, extra: { readonly default?: string } = {}): Option<number | undefined> {
  const moment = (value: string, option: string): number => {
    const at = Date.parse(value);
    if (Number.isNaN(at)) throw new Failure("option-time", { option, value });
    return at;
  };
  return {
    yargs: yargsText(describe, extra),
    read: optional<number | undefined>(moment, extra.default === undefined ? undefined : moment(extra.default, "")),
  };
}

/** A span of time such as `90s` or `1h30m`; milliseconds. */
export function span(describe: string, extra: { readonly default: string }): Option<number>;
export function span(describe: string): Option<number | undefined>;
export function span(describe: string, extra: { readonly default?: string } = {}): Option<number | undefined> {
  const milliseconds = (value: string, option: string): number => {
    const seconds = parseSeconds(value);
    if (seconds === undefined) throw new Failure("option-span", { option, value });
    return seconds * 1000;
  };
  return {
    yargs: yargsText(describe, extra),
    read: optional<number | undefined>(milliseconds, extra.default === undefined ? undefined : milliseconds(extra.default, "")),
  };
}

/** The longest wait for one answer; seconds on the command line, milliseconds in a request. */
export const timeoutOption = (fallback: number): Option<number> => {
  const seconds = number("longest wait for one answer, in seconds", { default: fallback, min: 0.1, max: 600, whole: false });
  return { yargs: seconds.yargs, read: (given, name) => seconds.read(given, name) * 1000 };
};

/** Options with one meaning in every command that has them. */
export const shared = {
  json: flag("print the result as JSON (schemas in docs/schemas)"),
  workspace: text("the workspace folder, if it is not this one or one above"),
  resolver: list("ask this resolver, ADDRESS[:PORT] or an https URL, instead of those that the workspace names"),
  zoneFile: list("answer from this zone file instead of the DNS"),
  includeFrom: list("let zone files include files from this folder too, besides their own"),
  at: time("judge as of this time, such as 2026-03-02T09:00Z"),
  timeout: timeoutOption(5),
  replace: list("allow replacing the records at this name"),
  only: list("only this ask, by its id"),
  into: text("use this zone file in place of the DNS host"),
  service: text("the key of the service in zandrel.yaml"),
  domain: text("the domain it is for, if the workspace has several"),
  dryRun: flag("show what would happen, change nothing"),
  queue: text(
    "keep sweeps in this PostgreSQL database, so that many machines share the work: postgres://…, env:NAME or file:PATH",
  ),
  force: flag("do it despite a warning"),
  write: flag("save it as an ask of the workspace"),
  note: text("what the service showed, with --confirmed"),
  mailFrom: text("the envelope sender; empty for the empty reverse path", { mayBeEmpty: true }),
  helo: text("the name the sending server says HELO with"),
  ip: text("the address of the sending server, IPv4 or IPv6"),
} as const;

/** The options of every command that looks at the DNS. */
export const resolverOptions = {
  resolver: shared.resolver,
  zoneFile: shared.zoneFile,
  includeFrom: shared.includeFrom,
  at: shared.at,
  timeout: shared.timeout,
} as const;

/** The options that decide which changes a draft may hold. */
export const draftOptions = { replace: shared.replace, only: shared.only, into: shared.into } as const;

/** The options of the commands on aggregate reports. */
export const reportOptions = {
  ...resolverOptions,
  days: number("how many days to look back, from the newest report", { default: 28, min: 1, max: 3660 }),
} as const;

/** How domains are asked about, by whoever takes part in a sweep. */
export const paceOptions = {
  lease: span("with --queue: how long a worker may take for a domain before another one gets it", { default: "10m" }),
  resolver: shared.resolver,
  timeout: shared.timeout,
  perServer: number("how many questions one name server gets at the same time", { default: 32, min: 1, max: 1000 }),
  concurrency: number("how many domains are looked at at the same time, at most", { default: 32, min: 1, max: 1000 }),
  threads: number("how many threads share the work (one for short lists, else one a processor)", { min: 1, max: 64 }),
  tries: number("how often to retry a domain whose DNS did not fully answer", { default: 3, min: 1, max: 20 }),
  retryAfter: span("how long such a domain is left alone before it is looked at again", { default: "60s" }),
} as const;

/** The options of the commands that publish. */
export const publishOptions = { resolver: shared.resolver, timeout: shared.timeout, includeFrom: shared.includeFrom } as const;

export type OptionTable = Readonly<Record<string, Option<unknown>>>;

/** The typed request that a table of options reads. */
export type RequestOf<O extends OptionTable> = {
  readonly [K in keyof O]: O[K] extends Option<infer T> ? T : never;
} & { readonly operands: readonly string[]; readonly workspace: string | undefined };

/** `dryRun` is `--dry-run` on the command line. */
export const optionName = (key: string): string => key.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`);

/** What the user records by hand of a service that cannot be asked. */
export const byHandOptions = {
  confirmed: flag("record that the service shows it as confirmed"),
  note: shared.note,
  on: text("the day it did, such as 2026-03-02, with --confirmed (today if not given)"),
} as const;
