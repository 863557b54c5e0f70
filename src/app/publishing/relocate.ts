import { existsSync } from "node:fs";
import { resolve } from "node:path";
import * as z from "zod";
import { dnsWants } from "../../core/ask/index.ts";
import { MAX_PASTE, understand } from "../../core/ask/intake/index.ts";
import { Failure } from "../../core/failure.ts";
import { type Lookup, liveAt } from "../../core/lookup/index.ts";
import { type DomainName, displayName, isAtOrBelow, name, withoutRootDot } from "../../core/name/index.ts";
import { type DataOf, isOfType, type RecordSet, setJson, toSets } from "../../core/record/index.ts";
import {
  captureByAsking,
  compareSides,
  isHosts,
  judgeCutOver,
  judgeSignedMove,
  namesToAsk,
  planMove,
  type SignedMove,
  serverList,
  USUAL_TYPES,
  walkNames,
  zoneText,
} from "../../core/relocate/index.ts";
import { transferZone } from "../../net/index.ts";
import {
  changeDomain,
  type Domain,
  type Journal,
  lockWorkspace,
  readText,
  replaceFile,
  type Workspace,
} from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Ended, Outcome } from "../context.ts";
import { type DnsContext, type DnsOptions, type DomainLook, hostServer, readZoneFile } from "../dns/context.ts";
import { domainOperands, writing } from "../session.ts";
import { domainName, record, time } from "../shapes.ts";

export const unresolved = z.object({ name: domainName, type: z.string(), because: z.string() });

export const relocateSchema = z.object({
  at: time,
  step: z.enum(["plan", "capture", "compare", "check"]),
  plan: z
    .object({
      moveAt: time.describe("when the name servers change"),
      possibleFrom: time.describe("the earliest moment for that"),
      steps: z.array(
        z.object({
          code: z.enum(["lower-ttls", "copy", "delete-ds", "change-servers", "look", "enter-ds", "switch-off"]),
          earliest: time,
          latest: time.nullable().describe("null: it may wait"),
          ttl: z.number().nullable().describe("seconds for which what it changes is remembered"),
        }),
      ),
    })
    .nullable(),
  domain: domainName,
  newHost: z.string().nullable(),
  capture: z
    .object({
      file: z.string(),
      records: z.number(),
      whole: z.boolean().describe("whether every name of the zone is known: it was handed out, or lists its names"),
      because: z.string(),
      otherHosts: z.array(z.string()).describe("keys of the workspace's other DNS hosts, one of which may be the new one"),
      unresolved: z.array(unresolved),
    })
    .nullable(),
  signatures: z
    .object({
      state: z
        .enum(["unsigned", "fits", "breaks", "waiting", "unknown"])
        .describe(
          "breaks: the DS records at the registrar fit no key of the new host; waiting: they are gone, and may be remembered",
        ),
      dsTags: z.array(z.number()),
      keyTags: z.array(z.number()),
      ttl: z.number().nullable().describe("seconds for which resolvers remember the DS records"),
      until: time.nullable(),
    })
    .nullable()
    .describe("with compare and check: whether a signed domain survives the change of name servers"),
  compare: z
    .object({
      ready: z.boolean(),
      same: z.number(),
      differences: z.array(
        z.object({
          kind: z.enum(["missing", "extra", "differs", "ttl"]),
          name: domainName,
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
      oldHostUntil: time.nullable(),
      host: z
        .enum(["same", "to-change", "changed"])
        .describe(
          "whether the domain's file names the new host: to-change where the domain moved and the file does not say so yet",
        ),
      vantages: z.array(z.object({ vantage: z.string(), sees: z.enum(["new", "old", "unknown"]), until: time.nullable() })),
    })
    .nullable(),
});

export type RelocateResult = z.output<typeof relocateSchema>;

/** Everything a step works with. */
interface Move {
  readonly domain: Domain;
  readonly workspace: Workspace;
  readonly dns: DnsContext;
  readonly looked: DomainLook;
  readonly journal: Journal;
  readonly request: RelocateRequest;
  readonly context: AppContext;
  /** The file the capture is in. */
  readonly file: string;
}

/** Names of the domain that are known from its asks and from what was ever published. */
function knownNames({ domain, journal }: Move): DomainName[] {
  const asked = domain.asks.flatMap((ask) => dnsWants(ask.wants).map((want) => want.name));
  const published = journal.publications(domain.name).flatMap(({ opened }) => opened.changes.map((change) => name(change.name)));
  return [...asked, ...published].filter((one) => isAtOrBelow(one, domain.name));
}

function expectOld({ looked, domain }: Move): Lookup {
  if (looked.lookup === undefined || looked.authority.kind !== "delegated")
    throw new Failure(
      "domain-unseen",
      {
        domain: domain.name,
        because: looked.authority.kind === "delegated" ? "none of its name servers has an address" : looked.authority.because,
      },
      "undetermined",
    );
  return looked.lookup;
}

/** Reads records somebody exported from the old host's form, or the capture of an earlier day. */
const fromFile = ({ context, domain, workspace }: Move, file: string): RecordSet[] =>
  toSets(readZoneFile(context.cwd, file, [domain.name], workspace.settings.defaults.ttl).document.entries);

/** The steps of the move with their times. */
async function plan(move: Move): Promise<{ ended: Ended; plan: NonNullable<RelocateResult["plan"]> } & Signatures> {
  const { domain, looked, dns, request, context, file } = move;
  const old = expectOld(move);
  const fresh = newHost(move);
  const [judged, keys, ns] = await Promise.all([
    signaturesOf(move, fresh.lookup),
    fresh.lookup.ask(domain.name, "DNSKEY"),
    liveAt(old, domain.name, domain.name, "NS"),
  ]);
  const sets = existsSync(resolve(context.cwd, file))
    ? fromFile(move, file)
    : (await captureByAsking(old, domain.name, namesToAsk(domain.name, knownNames(move)))).sets;
  const { moveAt, steps, possibleFrom } = planMove({
    now: dns.now,
    moveAt: request.moveAt,
    parentTtl: looked.authority.kind === "delegated" ? looked.authority.ttl : 0,
    nsTtl: ns.kind === "set" ? ns.set.ttl : 0,
    longestTtl: Math.max(0, ...sets.filter((set) => !isHosts(set, domain.name)).map((set) => set.ttl)),
    signatures: judged,
    newHostSigns: keys.kind === "found",
  });
  const late = moveAt < possibleFrom;
  return {
    ended: judged.state === "unknown" ? "undetermined" : late ? "problem" : "fine",
    signatures: shownSignatures(judged),
    plan: {
      moveAt,
      possibleFrom,
      steps: steps.map(({ latest, ttl, ...step }) => ({ ...step, latest: latest ?? null, ttl: ttl ?? null })),
    },
  };
}

/** Records that the old host's form shows: as a zone file, or in whatever layout it prints or exports them. */
function fromExport(move: Move, file: string): RecordSet[] {
  try {
    return fromFile(move, file);
  } catch (error) {
    if (!(error instanceof Failure) || error.code !== "zone-file-line") throw error;
    const { domain, context, workspace } = move;
    const text = readText(resolve(context.cwd, file), "utf8", MAX_PASTE);
    const read = understand({ text, domain: domain.name, ttl: workspace.settings.defaults.ttl, choices: new Map() });
    const [problem] = read.problems;
    if (problem !== undefined) throw new Failure("paste-problem", { problem });
    if (read.leftover.length > 0) throw new Failure("paste-leftover", { leftover: read.leftover });
    if (read.questions.length > 0) throw new Failure("paste-ambiguous", { questions: read.questions });
    return toSets(read.records.map(({ record }) => record));
  }
}

async function capture(move: Move): Promise<{ ended: Ended; capture: NonNullable<RelocateResult["capture"]> }> {
  const { domain, looked, dns, request, context, workspace, file } = move;
  const old = expectOld(move);
  if (existsSync(resolve(context.cwd, file)) && !request.force) throw new Failure("file-there", { path: file, what: "capture" });
  const exported = request.export;
  const extra = exported === undefined ? [] : fromExport(move, exported);
  let whole: readonly RecordSet[] | undefined;
  let refusal = "";
  const servers = looked.authority.kind === "delegated" ? looked.authority.servers : [];
  for (const server of servers) {
    const transferred = await transferZone(
      { address: server.address, port: workspace.settings.defaults.authorityPort },
      domain.name,
      Math.max(10_000, request.timeout),
    );
    if (transferred.ok) {
      whole = transferred.value;
      break;
    }
    refusal = transferred.error.detail;
  }
  const walked = whole === undefined ? await walkNames(old, domain.name) : undefined;
  const names =
    walked === undefined ? namesToAsk(domain.name, [...knownNames(move), ...extra.map((set) => set.name)]) : [...walked.keys()];
  const asked = whole === undefined ? await captureByAsking(old, domain.name, names, walked) : undefined;
  const live = new Map((whole ?? asked?.sets ?? []).map((set) => [`${set.name} ${set.type}`, set]));
  // What was exported and is not live any more stays out; what could not be asked for is taken from the export.
  const failedSets = new Set(asked?.unresolved.map((one) => `${one.name} ${one.type}`));
  for (const set of extra) if (failedSets.has(`${set.name} ${set.type}`)) live.set(`${set.name} ${set.type}`, set);
  const sets = [...live.values()].filter((set) => !isHosts(set, domain.name));
  const because =
    walked !== undefined
      ? "the domain is signed, and its own list of names (NSEC) was followed to the end, so that no name is missing"
      : whole === undefined
        ? `${refusal}; ${asked?.asked ?? 0} questions were asked about the usual names${exported === undefined ? "" : ", those of the export"} and those known from asks and journal, so records at other names are not in it: compare it with the list in the old host's form`
        : "the server handed out the whole zone";
  const remarks = [
    `${displayName(domain.name)}, captured ${new Date(dns.now).toISOString()}`,
    because,
    "The new host brings its own SOA and NS records; they are left out here.",
  ];
  replaceFile(resolve(context.cwd, file), zoneText(domain.name, sets, remarks), { encoding: "latin1" });
  const records = sets.reduce((sum, set) => sum + set.data.length, 0);
  const missing = asked?.unresolved ?? [];
  const otherHosts = Object.keys(workspace.settings.hosts).filter((key) => key !== domain.host);
  return {
    ended: missing.length > 0 ? "undetermined" : "fine",
    capture: { file, records, whole: whole !== undefined || walked !== undefined, because, otherHosts, unresolved: [...missing] },
  };
}

/** Whether the domain survives the change of name servers, by its DS records and the new host's keys. */
async function signaturesOf({ domain, dns, journal }: Move, fresh: Lookup): Promise<SignedMove> {
  const [known, keys] = await Promise.all([dns.dsAtParent(domain.name), fresh.ask(domain.name, "DNSKEY")]);
  const { ds, ttl = 0 } = known ?? {};
  const last = journal.entries(domain.name, "ds-seen").at(-1);
  const isThere = ds !== undefined && ds.length > 0;
  if (isThere && (last === undefined || last.gone || last.ttl !== ttl))
    journal.append(dns.now, domain.name, { kind: "ds-seen", ttl, gone: false });
  // From the first look that does not find them they may be remembered for the whole of their TTL.
  if (ds?.length === 0 && last?.gone === false)
    journal.append(dns.now, domain.name, { kind: "ds-seen", ttl: last.ttl, gone: true });
  const gone = journal.entries(domain.name, "ds-seen").at(-1);
  return judgeSignedMove(
    domain.name,
    { ds, ttl, gone: gone?.gone === true ? gone : undefined },
    keys.kind === "failed" ? undefined : keys.kind === "found" && isOfType(keys.set, "DNSKEY") ? keys.set.data : [],
    dns.now,
  );
}

const shownSignatures = (judged: SignedMove): NonNullable<RelocateResult["signatures"]> => ({
  dsTags: [],
  keyTags: [],
  ttl: null,
  until: null,
  ...(judged.state === "breaks"
    ? { ...judged, dsTags: [...judged.dsTags], keyTags: [...judged.keyTags] }
    : judged.state === "waiting"
      ? judged
      : { state: judged.state }),
});

/** The new host's servers, asked directly. */
function newHost({ workspace, request, dns }: Move): { key: string; title: string; lookup: Lookup; servers: string[] } {
  const key = request.newHost;
  const host = key === undefined ? undefined : workspace.settings.hosts[key];
  if (key === undefined || host === undefined) throw new Failure("new-host", { known: Object.keys(workspace.settings.hosts) });
  const [first] = host.servers;
  if (first === undefined) throw new Failure("host-without-servers", { host: key, title: host.title });
  return {
    key,
    title: host.title,
    lookup: dns.server(hostServer(first, workspace.settings.defaults.authorityPort)),
    servers: host.servers,
  };
}

type Signatures = Pick<RelocateResult, "signatures">;

async function compare(move: Move): Promise<{ ended: Ended; compare: NonNullable<RelocateResult["compare"]> } & Signatures> {
  const { domain, context, file, dns, workspace } = move;
  const fresh = newHost(move);
  const soa = await fresh.lookup.ask(domain.name, "SOA");
  if (soa.kind === "failed")
    throw new Failure(
      "new-host-silent",
      { title: fresh.title, domain: domain.name, because: soa.detail, refused: soa.why === "refused" },
      soa.why === "refused" ? "problem" : "undetermined",
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
  const judged = await signaturesOf(move, fresh.lookup);
  const survives = judged.state === "unsigned" || judged.state === "fits";
  const ready = serious.length === 0 && open.length === 0 && survives;
  return {
    ended: open.length > 0 || judged.state === "unknown" ? "undetermined" : ready ? "fine" : "problem",
    signatures: shownSignatures(judged),
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

async function check(move: Move): Promise<{ ended: Ended; check: NonNullable<RelocateResult["check"]> } & Signatures> {
  const { domain, looked, dns, journal, workspace, file, context } = move;
  const fresh = newHost(move);
  if (looked.authority.kind !== "delegated")
    throw new Failure(
      "domain-unseen",
      { domain: domain.name, because: looked.authority.because },
      looked.authority.kind === "failed" ? "undetermined" : "problem",
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
        return { vantage, sees, until: sees === "old" ? dns.now + answer.set.ttl * 1000 : null };
      }),
  );
  const judged = await signaturesOf(move, fresh.lookup);
  const because =
    verdict.state === "not-yet" ? `${verdict.because} (${serverList(servers.map((server) => server.name))})` : verdict.because;
  return {
    ended: (verdict.state === "moved" || verdict.state === "over") && judged.state !== "breaks" ? "fine" : "problem",
    signatures: shownSignatures(judged),
    check: {
      state: verdict.state,
      because,
      oldHostUntil: verdict.oldHostUntil === undefined ? null : verdict.oldHostUntil,
      host: await followHost(move, fresh.key, verdict.state === "moved" || verdict.state === "over"),
      vantages,
    },
  };
}

/** The domain's file follows the move: it names the new host, where the person says so. */
async function followHost(
  { domain, workspace, request, context }: Move,
  host: string,
  moved: boolean,
): Promise<"same" | "to-change" | "changed"> {
  if (!moved || domain.host === host) return "same";
  const agreed =
    request.write ||
    (context.interactive && (await context.choose({ kind: "change-host", domain: domain.name, host })) === "yes");
  if (!agreed) return "to-change";
  await lockWorkspace(workspace.folder, context, () => changeDomain(domain, { host }));
  return "changed";
}

const STEPS = { plan, capture, compare, check } as const;

/** What {@link relocate} is asked. */
export interface RelocateRequest extends CommonRequest, Omit<DnsOptions, "zoneFile" | "includeFrom"> {
  readonly newHost: string | undefined;
  readonly file: string | undefined;
  readonly export: string | undefined;
  readonly force: boolean;
  /** When the name servers are to change, milliseconds since 1970. */
  readonly moveAt: number | undefined;
  /** The calendar file to write the plan into. */
  readonly calendar: string | undefined;
  /** Whether the domain's file is changed to the new host once the domain has moved. */
  readonly write: boolean;
}

/** Move a zone to another DNS host: capture it, compare both sides, check the cut-over. */
export async function relocate(request: RelocateRequest, context: AppContext): Promise<Outcome<RelocateResult>> {
  const [step = "", ...operands] = request.operands;
  if (!Object.hasOwn(STEPS, step) || operands.length !== 1) throw new Failure("relocate-step", {});
  return writing(request, context, domainOperands(operands), async ({ workspace, domains, dns }, journal) => {
    const [domain] = domains as [Domain];
    const file = request.file ?? `${withoutRootDot(domain.name)}.zone`;
    const move: Move = { domain, workspace, dns, looked: await dns.look(domain), journal, request, context, file };
    const { ended, ...outcome } = await STEPS[step as keyof typeof STEPS](move);
    return {
      ended,
      result: {
        at: dns.now,
        step: step as keyof typeof STEPS,
        domain: domain.name,
        newHost: request.newHost ?? null,
        plan: null,
        capture: null,
        signatures: null,
        compare: null,
        check: null,
        ...outcome,
      },
    };
  });
}
