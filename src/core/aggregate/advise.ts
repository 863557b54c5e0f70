import { type Clause, clause } from "../clause/index.ts";
import { milder, POLICIES, type Policy } from "../dmarc/index.ts";
import { isCovered, type Network, networkOf } from "../spf/index.ts";
import type { Reason, Source } from "./sources.ts";

/** What has to be done about one source, the most urgent first. */
interface Repair {
  readonly source: string;
  readonly service?: string;
  /** Messages of its own that a stricter policy would have stopped. */
  readonly messages: number;
  readonly share: number;
  readonly reason: Reason | "spf-only";
  readonly because: Clause;
  readonly remedy: Clause;
}

/** Somebody unknown whose mail may be the organisation's own, and would be stopped. */
interface Doubt {
  readonly source: string;
  /** Messages that a stricter policy would have stopped, and all of them. */
  readonly messages: number;
  readonly of: number;
  readonly because: Clause;
}

/** One way the policy could be tightened. */
interface NextStep {
  readonly policy: Policy;
  /** Undefined where there is too little to go by. */
  readonly safe: boolean | undefined;
  readonly because: Clause;
  /** What it would have stopped over the time looked at, by source. */
  readonly stops: readonly {
    readonly source: string;
    readonly service?: string;
    readonly ours: boolean;
    readonly messages: number;
    readonly of: number;
  }[];
}

export interface Advice {
  readonly steps: readonly NextStep[];
  readonly repairs: readonly Repair[];
  /** Unknown senders to explain before any step is called safe. */
  readonly unexplained: readonly Doubt[];
  /** What receivers did by today's policy over the time looked at, in messages. */
  readonly done: Readonly<Record<Exclude<Policy, "none">, number>>;
  /** Includes of the SPF record from whose addresses nothing was seen. */
  readonly unusedIncludes: readonly string[];
}

export interface AdviceFacts {
  readonly sources: readonly Source[];
  /** The policy in force. */
  readonly policy: Policy;
  /** Days the reports cover, and reports there are. */
  readonly days: number;
  readonly reports: number;
  /** Includes of the SPF record and the addresses they stand for. */
  readonly includes: readonly { readonly term: string; readonly networks: readonly Network[] }[];
  /** Names that could not be asked for: who sends for the domain is not fully known. */
  readonly unresolved: readonly string[];
  /** Single addresses seen; to tell which includes are used. */
  readonly addresses: Iterable<string>;
}

/** Reports must cover this many days before a step is called safe: a newsletter may go out once a month. */
const LEAST_DAYS = 14;
/** Share of a service's mail that may fail without its being misconfigured: forwarding breaks some of everybody's. */
const TOLERATED = 0.02;

const stoppedOf = (source: Source): number => source.messages - source.aligned - source.reasons.forwarded;

/** Weeks in which a source has to be proven before what it failed earlier is forgiven. */
const GOOD_WEEKS = 2;

/** Whether a source failed and was fixed since: in the last weeks in which it sent, all of it was proven. */
const isRepaired = ({ weeks }: Source): boolean =>
  weeks.slice(-GOOD_WEEKS).every((week) => week.aligned >= week.messages * (1 - TOLERATED));

/**
 * An unknown sender who may be one's own: some of its mail is proven in one's name, or it sends from among the addresses of a
 * known service. Mail that only broke on a forwarder's way, and the little that always breaks, raise no doubt.
 */
function doubtOf(source: Source): Doubt[] {
  const { title, ours, messages, aligned, nextTo } = source;
  const stopped = stoppedOf(source);
  if (ours || stopped <= messages * TOLERATED || isRepaired(source) || (aligned === 0 && nextTo === undefined)) return [];
  const because =
    aligned > 0 ? clause("advice-partly-yours", { aligned, messages }) : clause("advice-next-to", { nextTo: nextTo ?? "" });
  return [{ source: title, messages: stopped, of: messages, because }];
}

const topReason = ({ reasons }: Source): Reason =>
  (["wrong-signer", "wrong-return-path", "nothing-passes"] as const).reduce<Reason>(
    (most, one) => (reasons[one] > reasons[most] ? one : most),
    "nothing-passes",
  );

/** What is wrong with the mail of a known sender, and what to do. */
function repairOf({ title, signers, envelopes, service }: Source, reason: Repair["reason"]): Pick<Repair, "because" | "remedy"> {
  const about = { title, reason, signer: signers[0], envelope: envelopes[0], service };
  return { because: clause("advice-repair", about), remedy: clause("advice-repair-mend", about) };
}

/** Turns sources into advice: what a stricter policy would have done, what to repair first, and when the next step is safe. */
export function adviseOn({ sources, policy, days, reports, includes, unresolved, addresses }: AdviceFacts): Advice {
  const own = sources.filter((source) => source.ours);
  const repairs = own
    .flatMap((source): Repair[] => {
      const { title, service, messages, bySpfOnly } = source;
      const about = { source: title, ...(service === undefined ? {} : { service }) };
      const stopped = stoppedOf(source);
      if (stopped > messages * TOLERATED && !isRepaired(source)) {
        const reason = topReason(source);
        return [{ ...about, messages: stopped, share: stopped / messages, reason, ...repairOf(source, reason) }];
      }
      if (bySpfOnly > messages / 2)
        return [
          { ...about, messages: bySpfOnly, share: bySpfOnly / messages, reason: "spf-only", ...repairOf(source, "spf-only") },
        ];
      return [];
    })
    .sort((a, b) => b.messages - a.messages);
  const repaired = own.filter((source) => stoppedOf(source) > source.messages * TOLERATED && isRepaired(source));
  const failing = repairs.filter((repair) => repair.reason !== "spf-only");
  const unexplained = sources.flatMap(doubtOf);
  const sumOf = (policy: Policy): number => sources.reduce((sum, one) => sum + one.dispositions[policy], 0);
  const stops = sources
    .map((source) => ({
      source: source.title,
      ...(source.service === undefined ? {} : { service: source.service }),
      ours: source.ours,
      messages: source.messages - source.aligned,
      of: source.messages,
    }))
    .filter((candidate) => candidate.messages > 0)
    .sort((a, b) => b.messages - a.messages);
  const steps = POLICIES.slice(POLICIES.indexOf(policy) + 1).map((next): NextStep => {
    const early = days < LEAST_DAYS;
    // Nobody goes from watching to refusing in one step.
    const skips = milder(next) !== policy;
    const safe = failing.length > 0 ? false : early || unresolved.length > 0 || unexplained.length > 0 ? undefined : !skips;
    const because =
      failing.length > 0
        ? clause("advice-own-stopped", { sources: failing.map((repair) => repair.source) })
        : unresolved.length > 0
          ? clause("advice-unresolved", { names: unresolved })
          : early
            ? clause("advice-too-early", { days, reports, needed: LEAST_DAYS })
            : unexplained.length > 0
              ? clause("advice-may-be-yours", { sources: unexplained.map((doubt) => doubt.source) })
              : skips
                ? clause("advice-not-at-once", { first: milder(next) })
                : own.length === 0
                  ? clause("advice-none-seen")
                  : clause("advice-safe", { repaired: repaired.map((one) => one.title), weeks: GOOD_WEEKS });
    return { policy: next, safe, because, stops };
  });
  const seen = [...addresses].map((address) => networkOf(address));
  const unusedIncludes = includes
    .filter(({ networks }) => networks.length > 0 && seen.length > 0 && !seen.some((network) => isCovered([network], networks)))
    .map(({ term }) => term);
  return {
    steps,
    repairs,
    unexplained,
    done: { quarantine: sumOf("quarantine"), reject: sumOf("reject") },
    unusedIncludes,
  };
}
