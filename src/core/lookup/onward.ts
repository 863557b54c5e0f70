import { clause } from "../clause/index.ts";
import type { DomainName } from "../name/index.ts";
import type { RecordType } from "../record/index.ts";
import { type Authority, authorityOf, type Servers } from "./authority.ts";
import { type Answer, aliasesWithoutEnd, failed, type Lookup } from "./lookup.ts";
import { memoized } from "./memo.ts";

/** Why a server has no answer that another one may have. */
const NO_ANSWER: ReadonlySet<string> = new Set(["timeout", "unreachable", "servfail", "refused", "bogus", "malformed"]);

/** Asks the first lookup, and each next one only where those before could not be asked. */
export function inTurn(lookups: readonly Lookup[]): Lookup {
  return {
    async ask(name, type) {
      let last = failed("unreachable", clause("answer-nobody-asked"));
      for (const lookup of lookups) {
        const answer = await lookup.ask(name, type);
        if (answer.kind !== "failed" || !NO_ANSWER.has(answer.why)) return answer;
        last = answer;
      }
      return last;
    },
  };
}

/** The name at which an answer stops because its server does not hold what the last alias leads to; undefined where it does not. */
const leadsTo = (answer: Answer): DomainName | undefined =>
  answer.kind === "failed" && (answer.why === "outside" || answer.why === "delegated")
    ? answer.chain.at(-1)?.data[0]?.target
    : undefined;

/**
 * The same lookup, except that an alias which leads out of the zones of its server is followed at its target (RFC 1034 sections 3.6.2
 * and 5.2.2): a server hands out the alias alone, and whoever asks goes on.
 */
export const onward = (lookup: Lookup, beyond: Lookup): Lookup => ({
  async ask(name, type) {
    const answer = await lookup.ask(name, type);
    const target = leadsTo(answer);
    if (target === undefined) return answer;
    const further = await beyond.ask(target, type);
    const chain = [...answer.chain, ...further.chain];
    const endless = aliasesWithoutEnd(chain);
    return endless === undefined ? { ...further, chain } : failed("loop", endless, { chain });
  },
});

/**
 * Every name as the name servers of its own zone show it, and not as resolvers remember it: to ask those too early would make them
 * remember that there is nothing. Where nobody is found to serve it, the resolver's word is taken.
 */
export function atOwnServers(base: Lookup, servers: Servers): Lookup {
  const authorities = new Map<DomainName, Promise<Authority>>();
  const beyond: Lookup = memoized({
    async ask(name: DomainName, type: RecordType) {
      let finding = authorities.get(name);
      if (finding === undefined) authorities.set(name, (finding = authorityOf(name, base, servers)));
      const authority = await finding;
      const serving = authority.kind === "delegated" || authority.kind === "within" ? authority.servers : [];
      if (serving.length === 0) return base.ask(name, type);
      const answer = await onward(inTurn(serving.map(({ lookup }) => lookup)), beyond).ask(name, type);
      // Servers that cannot be asked from here, or that hand the name on, leave the resolver's word.
      return answer.kind === "failed" && answer.why !== "loop" && answer.chain.length === 0 ? base.ask(name, type) : answer;
    },
  });
  return beyond;
}
