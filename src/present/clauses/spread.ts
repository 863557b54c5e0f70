import type { SpreadClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import { spanText } from "../../core/spread/index.ts";
import { listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

export const SPREAD: WordsOf<SpreadClauses> = {
  "spread-old-ttl": ({ type, name }) => `some resolvers keep the ${type} record of ${displayName(name)} for its old TTL`,
  "spread-servers-unfound": "none of its name servers has an address",
  "spread-ttl-lowered": "its TTL is lowered before the change",
  "spread-taken-back": "it is as it was before",
  "spread-launch": "launch",
  "spread-no-change": "nothing would change",
  "spread-nothing-changed": "nothing was changed",
  "spread-before-unknown": "it is not known what stood there before",
  "spread-too-late": ({ cacheWindow, margin, late }) => {
    const certificate = margin > 0 ? `, and a certificate takes up to ${spanText(margin)} more` : "";
    return `published now, everyone sees it ${spanText(cacheWindow)} later${certificate}: ${spanText(late)} after the launch`;
  },
  "spread-old-set": ({ type, name, ttl }) =>
    `some resolvers keep the old ${type} record of ${displayName(name)} for up to ${spanText(ttl)}, its TTL`,
  "spread-old-alias": ({ name, ttl }) =>
    `some resolvers follow the old alias at ${displayName(name)} for up to ${spanText(ttl)}, its TTL`,
  "spread-old-wildcard": ({ wildcard, ttl }) =>
    `the wildcard ${displayName(wildcard)} answered there before, and some resolvers keep that answer for up to ${spanText(ttl)}, its TTL`,
  "spread-negative-unknown": "some resolvers may remember “no such record”, and the zone does not say for how long",
  "spread-negative": ({ seconds }) =>
    `some resolvers remember “no such record” for up to ${spanText(seconds)}, as the zone itself says`,
  "spread-lower-ttl": ({ names, ttl }) => `lower the TTL of ${listOf(names)} to ${spanText(ttl)}`,
  "spread-lower-ttl-why": ({ oldTtl, loweredWindow, cacheWindow }) =>
    `until ${spanText(oldTtl)} later some still keep it for the old time; after that a change takes ${spanText(loweredWindow)} instead of ${spanText(cacheWindow)}`,
  "spread-publish": "publish at the latest",
  "spread-publish-lowered": ({ loweredWindow }) => `with the TTLs lowered everyone sees it ${spanText(loweredWindow)} later`,
  "spread-nothing-to-wait-for": "nothing has to be waited for",
  "spread-visible": "everyone sees it",
  "spread-visible-why": "every cache has let go of the old records",
  "spread-ask-services": "ask the services, not before",
  "spread-certificate-time": ({ margin }) => `a certificate gets ${spanText(margin)} from here to the launch`,
  "spread-remembers-not-found": "a service that looks earlier may remember “not found”",
  "spread-nothing-to-publish": "nothing has to be published for it",
  "spread-first-step": ({ left }) => `first step due in ${spanText(left)}`,
};
