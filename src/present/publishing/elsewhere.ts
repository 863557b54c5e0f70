import { type DomainName, displayName, withoutRootDot } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** A domain that other servers than those of its DNS host serve. */
interface ServedElsewhere {
  readonly domain: DomainName;
  readonly title: string;
  readonly servers: readonly DomainName[];
}

/** The command that makes whoever serves a domain its DNS host. */
export const followServers = ({ domain }: ServedElsewhere): string => `zandrel host find ${withoutRootDot(domain)} --write`;

/** That other servers serve a domain, and what that means for whatever is published. */
export const elsewhereLine = ({ domain, title, servers }: ServedElsewhere, { style, width }: Layout): string =>
  `  ${style.bad("✗ elsewhere")}  ${wrap(`${displayName(domain)} is served by ${listOf(servers.map(displayName))} and not by ${visible(title)}: nobody would see what is published at ${visible(title)}`, width - 15, "    ")}`;
