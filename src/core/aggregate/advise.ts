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
  readonly because: string;
  readonly remedy: string;
}

/** Somebody unknown whose mail may be the organisation's own, and would be stopped. */
interface Doubt {
  readonly source: string;
  /** Messages that a stricter policy would have stopped, and all of them. */
  readonly messages: number;
  readonly of: number;
  readonly because: string;
}

/** One way the policy could be tightened. */
interface NextStep {
  readonly policy: Policy;
  /** Undefined where there is too little to go by. */
  readonly safe: boolean | undefined;
  readonly because: string;
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

/** Unknown senders named in one sentence. */
const MAX_NAMED = 3;

/** Weeks in which a source has to be proven before what it failed earlier is forgiven. */
const GOOD_WEEKS = 2;

/** Whether a source failed and was fixed since: in the last weeks in which it sent, all of it was proven. */
const isRepaired = ({ weeks }: Source): boolean =>
  weeks.slice(-GOOD_WEEKS).every((week) => week.aligned >= week.messages * (1 - TOLERATED));

const number = (count: number): string => count.toLocaleString("en");

/**
 * An unknown sender who may be one's own: some of its mail is proven in one's name, or it sends from among the addresses of a
 * known service. Mail that only broke on a forwarder's way, and the little that always breaks, raise no doubt.
 */
function doubtOf(source: Source): Doubt[] {
  const { title, ours, messages, aligned, nextTo } = source;
  const stopped = stoppedOf(source);
  if (ours || stopped <= messages * TOLERATED || isRepaired(source) || (aligned === 0 && nextTo === undefined)) return [];
  const because =
    aligned > 0
      ? `${number(aligned)} of its ${number(messages)} messages ${aligned === 1 ? "is" : "are"} proven to be yours, so the rest may be yours, too`
      : `it sends from next to ${nextTo}'s addresses, but not from one of them`;
  return [{ source: title, messages: stopped, of: messages, because }];
}

const topReason = ({ reasons }: Source): Reason =>
  (["wrong-signer", "wrong-return-path", "nothing-passes"] as const).reduce<Reason>(
    (most, one) => (reasons[one] > reasons[most] ? one : most),
    "nothing-passes",
  );

function remedyFor(source: Source, reason: Repair["reason"]): Pick<Repair, "because" | "remedy"> {
  const { title, signers, envelopes, service } = source;
  const take =
    service === undefined
      ? "save its records with zandrel intake --add-service"
      : `save its records with zandrel intake --service ${service}`;
  switch (reason) {
    case "wrong-signer":
      return {
        because: `${title} signs with ${signers[0] ?? "its own name"} instead of your domain`,
        remedy: `turn on signing with your own domain at ${title}, and ${take}`,
      };
    case "wrong-return-path":
      return {
        because: `${title} sends with the return path of ${envelopes[0] ?? "its own domain"}, and does not sign in your name`,
        remedy: `turn on signing with your own domain at ${title}, or a return path below it, and ${take}`,
      };
    case "spf-only":
      return {
        because: `${title} is proven by SPF alone, which breaks as soon as mail is forwarded`,
        remedy: `turn on signing with your own domain at ${title}, and ${take}`,
      };
    default:
      return {
        because: `neither SPF nor DKIM passes for mail of ${title}`,
        remedy: `${take}, publish them, and see with zandrel dkim check and zandrel spf test whether they work`,
      };
  }
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
        return [{ ...about, messages: stopped, share: stopped / messages, reason, ...remedyFor(source, reason) }];
      }
      if (bySpfOnly > messages / 2)
        return [
          { ...about, messages: bySpfOnly, share: bySpfOnly / messages, reason: "spf-only", ...remedyFor(source, "spf-only") },
        ];
      return [];
    })
    .sort((a, b) => b.messages - a.messages);
  const repaired = own.filter((source) => stoppedOf(source) > source.messages * TOLERATED && isRepaired(source));
  const since =
    repaired.length === 0
      ? ""
      : `; ${repaired.map((one) => one.title).join(", ")} failed earlier and ${repaired.length === 1 ? "has" : "have"} passed for ${GOOD_WEEKS} weeks`;
  const failing = repairs.filter((one) => one.reason !== "spf-only");
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
    .filter((one) => one.messages > 0)
    .sort((a, b) => b.messages - a.messages);
  const steps = POLICIES.slice(POLICIES.indexOf(policy) + 1).map((next): NextStep => {
    const early = days < LEAST_DAYS;
    // Nobody goes from watching to refusing in one step.
    const skips = milder(next) !== policy;
    const safe = failing.length > 0 ? false : early || unresolved.length > 0 || unexplained.length > 0 ? undefined : !skips;
    const because =
      failing.length > 0
        ? `your own mail through ${failing.map((one) => one.source).join(", ")} would be stopped`
        : unresolved.length > 0
          ? `${unresolved.join(", ")} could not be looked up, so it is not known who sends for you`
          : early
            ? `the reports cover ${days} ${days === 1 ? "day" : "days"} (${reports} reports); ${LEAST_DAYS} days are needed, because not everyone sends daily`
            : unexplained.length > 0
              ? `${unexplained
                  .slice(0, MAX_NAMED)
                  .map((one) => one.source)
                  .join(", ")}${unexplained.length > MAX_NAMED ? ` and ${unexplained.length - MAX_NAMED} more` : ""} may be yours`
              : skips
                ? `use ${milder(next)} first, and watch the reports for two weeks`
                : own.length === 0
                  ? "none of your known senders was seen; mail that fails is not known to be yours"
                  : `all your known senders pass; mail that fails is not known to be yours${since}`;
    return { policy: next, safe, because, stops };
  });
  const seen = [...addresses].map((address) => networkOf(address));
  const unusedIncludes = includes
    .filter(({ networks }) => networks.length > 0 && seen.length > 0 && !seen.some((one) => isCovered([one], networks)))
    .map(({ term }) => term);
  return {
    steps,
    repairs,
    unexplained,
    done: { quarantine: sumOf("quarantine"), reject: sumOf("reject") },
    unusedIncludes,
  };
}
