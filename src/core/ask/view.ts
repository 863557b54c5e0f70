import type { Answer, AuthoritativeServer, Lookup } from "../lookup/index.ts";
import type { DomainName } from "../name/index.ts";
import type { RecordType } from "../record/index.ts";
import { negativeTtl } from "../zone/index.ts";
import { isMet } from "./met.ts";
import type { DnsWant } from "./want.ts";

/** Who looks: an authoritative server of the domain, or a resolver whose view counts. */
export interface Viewpoint {
  readonly name: string;
  readonly role: "authoritative" | "vantage";
  /** Whether it is the resolver of this machine, which the user's own browser asks. */
  readonly own?: boolean;
  readonly lookup: Lookup;
}

/** What one viewpoint shows of one wanted record set. */
export interface View {
  readonly from: string;
  readonly role: Viewpoint["role"];
  readonly own?: boolean;
  readonly name: DomainName;
  readonly type: RecordType;
  /** Whether the wish is that something is gone. */
  readonly absent?: boolean;
  /** `new`: all that is wanted; `old`: something else; `nothing`: it says there is nothing; `unknown`: it could not be asked. */
  readonly sees: "new" | "old" | "nothing" | "unknown";
  /** How long it keeps that answer, in seconds; undefined for servers that hold the data themselves. */
  readonly keeps?: number;
  readonly answer: Answer;
}

export const authoritativeViewpoints = (
  servers: readonly AuthoritativeServer[],
  label: (server: AuthoritativeServer) => string,
): Viewpoint[] => servers.map((server) => ({ name: label(server), role: "authoritative", lookup: server.lookup }));

/** Reads an answer as a view on a wanted set. */
export function viewOf(viewpoint: Viewpoint, wanted: DnsWant, answer: Answer): View {
  const common = {
    from: viewpoint.name,
    role: viewpoint.role,
    ...(viewpoint.own === undefined ? {} : { own: viewpoint.own }),
    name: wanted.name,
    type: wanted.type,
    ...(wanted.kind === "absent" ? { absent: true } : {}),
    answer,
  };
  const cached = (seconds: number | undefined) =>
    viewpoint.role === "vantage" && seconds !== undefined ? { keeps: seconds } : {};
  // At a cut the parent's side hands out the set that was asked for (RFC 1034 section 4.2.1).
  const cut = answer.kind === "failed" && wanted.type === "NS" ? answer.delegation?.ns : undefined;
  if (cut?.name === wanted.name) return { ...common, sees: isMet(cut, wanted) ? "new" : "old", ...cached(cut.ttl) };
  switch (answer.kind) {
    case "failed":
      // An alias that leads nowhere, or away from the files, is something other than what is wanted; behind one whose servers could
      // not be asked anything may be.
      return answer.chain.length > 0 && (answer.why === "loop" || answer.why === "outside")
        ? { ...common, sees: "old", ...cached(answer.chain[0]?.ttl) }
        : { ...common, sees: "unknown" };
    case "found": {
      const own = answer.chain.length === 0;
      const ttl = Math.min(answer.set.ttl, ...answer.chain.map((link) => link.ttl));
      // A service follows an alias when it looks for a TXT; what counts is what it finds at the end.
      return { ...common, sees: (own || wanted.type !== "CNAME") && isMet(answer.set, wanted) ? "new" : "old", ...cached(ttl) };
    }
    default:
      return {
        ...common,
        // What has to be gone is seen as wanted where nothing is there.
        sees: wanted.kind === "absent" ? "new" : answer.chain.length > 0 ? "old" : "nothing",
        ...cached(answer.soa === undefined ? undefined : negativeTtl(answer.soa)),
      };
  }
}

/** Whether the servers of the domain say that a name belongs to a zone they delegate. */
export const isDelegated = (view: View): boolean =>
  view.type !== "NS" && view.answer.kind === "failed" && view.answer.why === "delegated";

/**
 * Looks at every wanted set from every viewpoint. The vantages are asked only about sets that every
 * authoritative server that answers already has: a question too early would make them remember “no such
 * record” (RFC 2308).
 */
export async function look(wanted: readonly DnsWant[], viewpoints: readonly Viewpoint[]): Promise<View[]> {
  const one = async (viewpoint: Viewpoint, set: DnsWant) =>
    viewOf(viewpoint, set, await viewpoint.lookup.ask(set.name, set.type));
  const vantages = viewpoints.filter((viewpoint) => viewpoint.role === "vantage");
  const perSet = wanted.map(async (set) => {
    const authorities = await Promise.all(viewpoints.filter((v) => v.role === "authoritative").map((v) => one(v, set)));
    if (authorities.length > 0 && authorities.every(isDelegated)) {
      // The name lies in a zone of its own, whose servers are not ours to ask; what the vantages find there counts.
      const found = await Promise.all(vantages.map((v) => one(v, set)));
      const seen = found.find((view) => view.sees === "new") ?? found.find((view) => view.sees !== "unknown");
      return [...authorities.map((view) => ({ ...view, sees: seen?.sees ?? view.sees })), ...found];
    }
    const there =
      authorities.some((view) => view.sees === "new") &&
      authorities.every((view) => view.sees === "new" || view.sees === "unknown");
    const seen = there ? await Promise.all(vantages.map((v) => one(v, set))) : [];
    // A resolver asks the servers that a name was given to, which may not be set up yet: that says nothing of what was asked for here.
    const isGiven = set.type === "NS" && authorities.some(({ answer }) => answer.kind === "failed" && answer.why === "delegated");
    return [...authorities, ...(isGiven ? seen.filter(({ sees }) => sees !== "unknown") : seen)];
  });
  return (await Promise.all(perSet)).flat();
}
