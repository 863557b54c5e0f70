import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { z } from "zod";
import { type DnsContext, type DomainLook, hostServer, readZoneFile, resolverOptions, timeoutOf } from "../../app/dns/context.ts";
import { domainOperands, writing } from "../../app/session.ts";
import { record, withoutRootDot } from "../../app/shapes.ts";
import { type Lookup, liveAt } from "../../core/lookup/index.ts";
import { type DomainName, displayName, isAtOrBelow, name } from "../../core/name/index.ts";
import { type DataOf, type RecordSet, setJson, toSets } from "../../core/record/index.ts";
import {
  captureByAsking,
  compareSides,
  isHosts,
  judgeCutOver,
  namesToAsk,
  serverList,
  USUAL_TYPES,
  zoneText,
} from "../../core/relocate/index.ts";
import { EXIT, type ExitCode, UserError } from "../../core/user-error.ts";
import { transferZone } from "../../net/index.ts";
import { columns, count, deadline, isoTime, visible, wrap } from "../../present/index.ts";
import { type Domain, type Journal, type Workspace, writeAtomically } from "../../workspace/index.ts";
import { type Arguments, type Context, command } from "../command.ts";

const unresolved = z.object({ name: z.string(), type: z.string(), because: z.string() });
const result = z.object({
  at: z.string(),
  step: z.enum(["capture", "compare", "check"]),
  domain: z.string(),
  capture: z
    .object({
      file: z.string(),
      records: z.number(),
      whole: z.boolean().describe("whether the server handed out the whole zone"),
      because: z.string(),
      unresolved: z.array(unresolved),
    })
    .nullable(),
  compare: z
    .object({
      ready: z.boolean(),
      same: z.number(),
      differences: z.array(
        z.object({
          kind: z.enum(["missing", "extra", "differs", "ttl"]),
          name: z.string(),
          type: z.string(),
          old: z.array(record),
          new: z.array(record),
        }),
      ),
      unresolved: z.array(unresolved),
    })
    .nullable(),
  check: z
    .object({
      state: z.enum(["not-yet", "half", "moved", "over"]),
      because: z.string(),
      oldHostUntil: z.string().nullable(),
      vantages: z.array(z.object({ vantage: z.string(), sees: z.enum(["new", "old", "unknown"]), until: z.string().nullable() })),
    })
    .nullable(),
});
type Result = z.output<typeof result>;

/** Everything a step works with. */
interface Move {
  readonly domain: Domain;
  readonly workspace: Workspace;
  readonly dns: DnsContext;
  readonly looked: DomainLook;
  readonly journal: Journal;
  readonly args: Arguments;
  readonly context: Context;
  /** The file the capture is in. */
  readonly file: string;
}

/** Names of the domain that are known from its asks and from what was ever published. */
function knownNames({ domain, journal }: Move): DomainName[] {
  const asked = domain.asks.flatMap((ask) => ask.wanted.map((set) => set.name));
  const published = journal.publications(domain.name).flatMap(({ opened }) => opened.changes.map((change) => name(change.name)));
  return [...asked, ...published].filter((one) => isAtOrBelow(one, domain.name));
}

function expectOld({ looked, domain }: Move): Lookup {
  if (looked.lookup === undefined || looked.authority.kind !== "delegated")
    throw new UserError(
      `${displayName(domain.name)} could not be looked at where it is served today: ${looked.authority.kind === "delegated" ? "none of its name servers has an address" : looked.authority.because}; try again.`,
      EXIT.undetermined,
    );
  return looked.lookup;
}

/** Reads records somebody exported from the old host's form, or the capture of an earlier day. */
const fromFile = ({ context, domain, workspace }: Move, file: string): RecordSet[] =>
  toSets(readZoneFile(context.cwd, file, [domain.name], workspace.settings.defaults.ttl).document.entries);

async function capture(move: Move): Promise<{ exit: ExitCode; capture: NonNullable<Result["capture"]> }> {
  const { domain, looked, dns, args, context, workspace, file } = move;
  const old = expectOld(move);
  if (existsSync(resolve(context.cwd, file)) && args.overwrite !== true)
    throw new UserError(`${file} is there already: give another with --file, or --overwrite.`);
  const exported = args.export as string | undefined;
  const extra = exported === undefined ? [] : fromFile(move, exported);
  let whole: readonly RecordSet[] | undefined;
  let refusal = "";
  const servers = looked.authority.kind === "delegated" ? looked.authority.servers : [];
  for (const server of servers) {
    const transferred = await transferZone(
      { address: server.address, port: workspace.settings.defaults.authorityPort },
      domain.name,
      Math.max(10_000, timeoutOf(args)),
    );
    if (transferred.ok) {
      whole = transferred.value;
      break;
    }
    refusal = transferred.error.detail;
  }
  const asked =
    whole === undefined
      ? await captureByAsking(old, domain.name, namesToAsk(domain.name, [...knownNames(move), ...extra.map((set) => set.name)]))
      : undefined;
  const live = new Map((whole ?? asked?.sets ?? []).map((set) => [`${set.name} ${set.type}`, set]));
  // What was exported and is not live any more stays out; what could not be asked for is taken from the export.
  const failedSets = new Set(asked?.unresolved.map((one) => `${one.name} ${one.type}`));
  for (const set of extra) if (failedSets.has(`${set.name} ${set.type}`)) live.set(`${set.name} ${set.type}`, set);
  const sets = [...live.values()].filter((set) => !isHosts(set, domain.name));
  const because =
    whole === undefined
      ? `${refusal}; ${asked?.asked ?? 0} questions were asked about the usual names${exported === undefined ? "" : ", those of the export"} and those known from asks and journal, so records at other names are not in it: compare it with the list in the old host's form`
      : "the server handed out the whole zone";
  const remarks = [
    `${displayName(domain.name)}, captured ${isoTime(dns.now)}`,
    because,
    "The new host brings its own SOA and NS records; they are left out here.",
  ];
  writeAtomically(resolve(context.cwd, file), zoneText(domain.name, sets, remarks), { encoding: "latin1" });
  const records = sets.reduce((sum, set) => sum + set.data.length, 0);
  const missing = asked?.unresolved ?? [];
  return {
    exit: missing.length > 0 ? EXIT.undetermined : EXIT.ok,
    capture: { file, records, whole: whole !== undefined, because, unresolved: [...missing] },
  };
}

/** The new host's servers, asked directly. */
function newHost({ workspace, args, dns }: Move): { key: string; title: string; lookup: Lookup; servers: string[] } {
  const key = args.to as string | undefined;
  const host = key === undefined ? undefined : workspace.settings.hosts[key];
  if (key === undefined || host === undefined)
    throw new UserError(
      `--to names the new DNS host, one of ${Object.keys(workspace.settings.hosts).join(", ") || "hosts: in zandrel.yaml"}.`,
    );
  const [first] = host.servers;
  if (first === undefined)
    throw new UserError(
      `zandrel.yaml does not say where ${host.title}'s name servers are: add servers: [ADDRESS] under hosts: ${key}:.`,
    );
  return {
    key,
    title: host.title,
    lookup: dns.server(hostServer(first, workspace.settings.defaults.authorityPort)),
    servers: host.servers,
  };
}

async function compare(move: Move): Promise<{ exit: ExitCode; compare: NonNullable<Result["compare"]> }> {
  const { domain, context, file, dns, workspace } = move;
  const fresh = newHost(move);
  const soa = await fresh.lookup.ask(domain.name, "SOA");
  if (soa.kind === "failed")
    throw new UserError(
      `nothing was compared, because ${fresh.title} does not answer for ${displayName(domain.name)} (${soa.detail}): create the zone there and enter the captured records first.`,
      soa.why === "refused" ? EXIT.not : EXIT.undetermined,
    );
  const captured = existsSync(resolve(context.cwd, file)) ? fromFile(move, file) : [];
  // After the move the parent names the new servers; the old ones are then known from the domain's host.
  const oldHost = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host]?.servers[0];
  const old =
    oldHost === undefined || domain.host === fresh.key
      ? expectOld(move)
      : dns.server(hostServer(oldHost, workspace.settings.defaults.authorityPort));
  const names = namesToAsk(domain.name, [...knownNames(move), ...captured.map((set) => set.name)]);
  const types = new Set([...USUAL_TYPES, ...captured.map((set) => set.type)]);
  const wanted = names.flatMap((one) => [...types].map((type) => ({ name: one, type })));
  const { same, differences, unresolved: open } = await compareSides(old, fresh.lookup, domain.name, wanted);
  const serious = differences.filter((one) => one.kind !== "ttl" && one.kind !== "extra");
  const ready = serious.length === 0 && open.length === 0;
  return {
    exit: open.length > 0 ? EXIT.undetermined : ready ? EXIT.ok : EXIT.not,
    compare: {
      ready,
      same,
      differences: differences.map((one) => ({
        kind: one.kind,
        name: one.name,
        type: one.type,
        old: setJson(one.old),
        new: setJson(one.new),
      })),
      unresolved: [...open],
    },
  };
}

async function check(move: Move): Promise<{ exit: ExitCode; check: NonNullable<Result["check"]> }> {
  const { domain, looked, dns, journal, workspace, file, context } = move;
  const fresh = newHost(move);
  if (looked.authority.kind !== "delegated")
    throw new UserError(
      `the delegation of ${displayName(domain.name)} could not be looked at: ${looked.authority.because}; try again.`,
      looked.authority.kind === "failed" ? EXIT.undetermined : EXIT.not,
    );
  const { servers, ttl } = looked.authority;
  const port = workspace.settings.defaults.authorityPort;
  const addresses = servers.map((server) => (port === 53 ? server.address : `${server.address}:${port}`));
  const expected = fresh.servers;
  const onNew = addresses.length > 0 && addresses.every((address) => expected.includes(address));
  const seen = journal.entries(domain.name, "delegation-seen").filter((entry) => entry.host === fresh.key);
  if (onNew && seen.length === 0 && !dns.fromFiles)
    journal.append(dns.now, domain.name, { kind: "delegation-seen", host: fresh.key, servers: addresses });
  const oldServer =
    domain.host === undefined || domain.host === fresh.key ? undefined : workspace.settings.hosts[domain.host]?.servers[0];
  const oldNs =
    oldServer === undefined ? undefined : await liveAt(dns.server(hostServer(oldServer, port)), domain.name, domain.name, "NS");
  const oldNsTtl = oldNs?.kind === "set" ? oldNs.set.ttl : ttl;
  const captured = existsSync(resolve(context.cwd, file)) ? fromFile(move, file) : [];
  const longestTtl = Math.max(0, ...captured.map((set) => set.ttl));
  const verdict = judgeCutOver(addresses, expected, {
    movedAt: seen[0]?.at,
    now: dns.now,
    parentTtl: ttl,
    oldNsTtl,
    longestTtl,
  });
  const freshNs = await liveAt(fresh.lookup, domain.name, domain.name, "NS");
  const freshNames = freshNs.kind === "set" ? (freshNs.set.data as readonly DataOf["NS"][]).map((data) => data.target) : [];
  const vantages = await Promise.all(
    looked.viewpoints
      .filter((viewpoint) => viewpoint.role === "vantage")
      .map(async ({ name: vantage, lookup }) => {
        const answer = await lookup.ask(domain.name, "NS");
        if (answer.kind !== "found") return { vantage, sees: "unknown" as const, until: null };
        const names = (answer.set.data as readonly DataOf["NS"][]).map((data) => data.target);
        const sees = names.every((one) => freshNames.includes(one)) ? ("new" as const) : ("old" as const);
        return { vantage, sees, until: sees === "old" ? isoTime(dns.now + answer.set.ttl * 1000) : null };
      }),
  );
  const because =
    verdict.state === "not-yet" ? `${verdict.because} (${serverList(servers.map((server) => server.name))})` : verdict.because;
  return {
    exit: verdict.state === "moved" || verdict.state === "over" ? EXIT.ok : EXIT.not,
    check: {
      state: verdict.state,
      because,
      oldHostUntil: verdict.oldHostUntil === undefined ? null : isoTime(verdict.oldHostUntil),
      vantages,
    },
  };
}

const STEPS = { capture, compare, check } as const;

export default command<Result>({
  name: "relocate",
  operands: "capture|compare|check DOMAIN",
  summary: "move a zone to another DNS host: capture it, compare both sides, check the cut-over",
  examples: [
    ["zandrel relocate capture brackwater.example", "write the zone as it is into brackwater.example.zone"],
    ["zandrel relocate compare brackwater.example --to zonemarrow", "name by name, by asking both hosts directly"],
    [
      "zandrel relocate check brackwater.example --to zonemarrow",
      "after the change of name servers: who still sees the old host, and until when",
    ],
  ],
  options: {
    resolver: resolverOptions.resolver,
    timeout: resolverOptions.timeout,
    at: resolverOptions.at,
    to: { type: "string", requiresArg: true, describe: "the key of the new DNS host in zandrel.yaml" },
    file: { type: "string", requiresArg: true, describe: "the master file of the capture (DOMAIN.zone if not given)" },
    export: { type: "string", requiresArg: true, describe: "with capture: records exported from the old host, as a master file" },
    overwrite: { type: "boolean", default: false, describe: "with capture: replace the file if it is there" },
  },
  schema: result,
  async run(args, context) {
    const [step = "", ...operands] = args._;
    if (!Object.hasOwn(STEPS, step) || operands.length !== 1)
      throw new UserError("zandrel relocate wants a step and a domain: for example zandrel relocate capture brackwater.example.");
    return writing(args, context, domainOperands(operands), async ({ workspace, domains, dns }, journal) => {
      const [domain] = domains as [Domain];
      const file = (args.file as string | undefined) ?? `${withoutRootDot(domain.name)}.zone`;
      const move: Move = { domain, workspace, dns, looked: await dns.look(domain), journal, args, context, file };
      const { exit, ...outcome } = await STEPS[step as keyof typeof STEPS](move);
      return {
        exit,
        result: {
          at: isoTime(dns.now),
          step: step as keyof typeof STEPS,
          domain: domain.name,
          capture: null,
          compare: null,
          check: null,
          ...outcome,
        },
      };
    });
  },
  present({ domain, capture: captured, compare: compared, check: checked, at }, { style, width }) {
    const now = Date.parse(at);
    const title = style.title(displayName(domain as DomainName));
    const open = (list: readonly z.output<typeof unresolved>[]) =>
      list
        .slice(0, 10)
        .map(
          (one) => `  ${style.state("unknown", "?")} ${displayName(one.name as DomainName)} ${one.type}: ${visible(one.because)}`,
        );
    if (captured !== null)
      return `${title}  ${style.good(`${count(captured.records, "record")} captured`)} in ${visible(captured.file)}\n${wrap(`${visible(captured.because)}.`, width)}\n${open(
        captured.unresolved,
      )
        .map((line) => `${line}\n`)
        .join(
          "",
        )}Next: enter or import it at the new host, then ${style.command(`zandrel relocate compare ${withoutRootDot(domain as DomainName)} --to HOST`)}\n`;
    if (compared !== null) {
      const WORDS = {
        missing: "missing at the new host",
        extra: "only at the new host",
        differs: "differs",
        ttl: "another TTL",
      } as const;
      const shown = (records: readonly z.output<typeof record>[]) =>
        visible(records.map((one) => (typeof one.data === "string" ? one.data : Object.values(one.data).join(" "))).join(", "));
      const rows = compared.differences.map((one) => {
        const values =
          one.kind === "ttl"
            ? `${one.old[0]?.ttl} s, and ${one.new[0]?.ttl} s at the new host`
            : one.kind === "differs"
              ? `${shown(one.old)}, and ${shown(one.new)} at the new host`
              : shown(one.old.length > 0 ? one.old : one.new);
        const paint = one.kind === "missing" || one.kind === "differs" ? style.bad : style.careful;
        return `  ${paint(WORDS[one.kind])}  ${displayName(one.name as DomainName)} ${one.type}\n      ${wrap(values, width - 6, "      ")}`;
      });
      const verdict = compared.ready
        ? `${style.good("Ready.")} Change the name servers at the registrar, then ${style.command(`zandrel relocate check ${withoutRootDot(domain as DomainName)} --to HOST`)}`
        : compared.unresolved.length > 0
          ? "Not everything could be asked; try again."
          : `${style.bad("Not ready:")} put right what is missing or differs, then compare again.`;
      return `${title}  ${count(compared.same, "record set")} the same at both hosts\n${[...rows, ...open(compared.unresolved)].map((line) => `${line}\n`).join("")}${verdict}\n`;
    }
    if (checked === null) return "";
    const TITLES = { "not-yet": "Not moved yet", half: "Half moved", moved: "Moved", over: "Over" } as const;
    const paint = checked.state === "moved" || checked.state === "over" ? style.good : style.careful;
    const rows = columns(
      checked.vantages.map((one) => [
        one.sees === "new" ? "✓ sees the new host" : one.sees === "old" ? "◐ sees the old host" : "? cannot be asked",
        one.vantage,
        one.until === null ? "" : `until ${deadline(Date.parse(one.until), now)}`,
      ]),
      (cell, column, row) => (column === 0 ? style.state(checked.vantages[row]?.sees ?? "unknown", cell) : cell),
    );
    const off =
      checked.oldHostUntil === null
        ? ""
        : checked.state === "over"
          ? "The old host may be switched off.\n"
          : `Keep the old host until ${style.strong(deadline(Date.parse(checked.oldHostUntil), now))}: until then somebody may still be led there.\n`;
    return `${title}  ${paint(TITLES[checked.state])}\n${wrap(`${visible(checked.because)}.`, width)}\n${rows.map((line) => `  ${line}\n`).join("")}${off}`;
  },
});
