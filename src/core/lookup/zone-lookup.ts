import { clause } from "../clause/index.ts";
import type { DomainName } from "../name/index.ts";
import type { RecordType } from "../record/index.ts";
import { answerFrom, glueFor, type Zone, zoneFor } from "../zone/index.ts";
import { type AliasSet, type Answer, aliasesWithoutEnd, failed, type Lookup } from "./lookup.ts";

/**
 * Answers one question from zones in memory and follows aliases inside them (RFC 1034 section 4.3.2).
 * Where an alias or the question itself leads out of all zones, or below a cut, it says so (`outside`,
 * `delegated`) instead of guessing.
 */
export function answerFromZones(zones: readonly Zone[], name: DomainName, type: RecordType): Answer {
  const chain: AliasSet[] = [];
  let at = name;
  let wildcard: DomainName | undefined;
  for (;;) {
    // A DS record belongs to the parent's side of a cut (RFC 4035 section 3.1.4.1).
    const above = type === "DS" ? zones.filter(({ apex }) => apex !== at) : zones;
    const zone = zoneFor(above, at) ?? zoneFor(zones, at);
    if (zone === undefined)
      return failed("outside", clause("answer-outside-files", { name: at }), { chain, authoritative: true });
    const answer = answerFrom(zone, at, type);
    switch (answer.kind) {
      case "found":
        wildcard ??= answer.wildcard;
        return { kind: "found", set: answer.set, chain, authoritative: true, ...(wildcard === undefined ? {} : { wildcard }) };
      case "nodata":
      case "nxdomain":
        return { kind: answer.kind, chain, authoritative: true, ...(answer.soa === undefined ? {} : { soa: answer.soa }) };
      case "delegated":
        return failed("delegated", clause("answer-below-cut", { name: at, zone: answer.ns.name }), {
          chain,
          delegation: { ns: answer.ns, glue: glueFor(zone, answer.ns) },
        });
      case "alias": {
        chain.push(answer.set);
        wildcard ??= answer.wildcard;
        const target = answer.set.data[0]?.target;
        if (target === undefined) return failed("malformed", clause("answer-alias-without-target", { name: at }), { chain });
        const endless = aliasesWithoutEnd(chain);
        if (endless !== undefined) return failed("loop", endless, { chain });
        at = target;
      }
    }
  }
}

/**
 * A lookup that answers from zones, as `--zone-file` needs it. Questions that lead outside them go to
 * `beyond`; without one they could not be asked.
 */
export function zoneLookup(zones: readonly Zone[], beyond?: Lookup): Lookup {
  return {
    async ask(name, type) {
      const answer = answerFromZones(zones, name, type);
      if (answer.kind !== "failed" || beyond === undefined || (answer.why !== "outside" && answer.why !== "delegated"))
        return answer;
      const last = answer.chain.at(-1)?.data[0]?.target ?? name;
      const further = await beyond.ask(last, type);
      return { ...further, chain: [...answer.chain, ...further.chain] };
    },
  };
}
