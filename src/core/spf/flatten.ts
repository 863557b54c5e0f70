import { type Clause, clause, NOTHING } from "../clause/index.ts";
import type { Lookup } from "../lookup/index.ts";
import { type DomainName, name as nameOf } from "../name/index.ts";
import { err, ok, type Result } from "../result.ts";
import { joinNetworks, type Network, networkTerm } from "./networks.ts";
import type { SpfRecord } from "./parse.ts";
import { type SpfBranch, type SpfTree, spfTree } from "./tree.ts";
import { branchesOf } from "./tree-outcome.ts";

/** Longest record in octets that still fits into a DNS answer of 512 octets with room for others (RFC 7208 section 3.4). */
export const MAX_OCTETS = 450;

/** Includes of a record replaced by the addresses they stand for today. */
export interface Flattened {
  /** The domain's own record. */
  readonly text: string;
  /** Records of further names, where one is too long; the own record includes them. */
  readonly parts: readonly { readonly name: DomainName; readonly text: string }[];
  /** What each include stood for, as terms; remembered so that a change at the source is noticed. */
  readonly sources: readonly { readonly term: string; readonly addresses: readonly string[] }[];
}

/** Why a term cannot be replaced: half a sentence. */
export type FlattenError = { readonly term: string; readonly because: Clause };

/** The addresses an include stands for today, as the fewest blocks; or why that cannot be said. */
function addressesOf(branch: SpfBranch): Result<Network[], FlattenError> {
  const { term, below } = branch;
  const wrong = (because: Clause) => err({ term: term.text, because });
  if (below === undefined) return wrong(clause("spf-flatten-include-only"));
  if (below.problem !== undefined) return wrong(below.problem.because);
  for (const { branch: inner } of branchesOf(below)) {
    if (inner.ineffective?.kind === "unreachable" || inner.ineffective?.kind === "duplicate") continue;
    if (inner.below?.problem !== undefined) return wrong(inner.below.problem.because);
    if (inner.failed !== undefined) return wrong(inner.failed);
    if (inner.term.kind === "mechanism" && inner.term.name !== "all" && inner.term.qualifier !== "+")
      return wrong(clause("spf-flatten-takes-away", { text: inner.term.text }));
    if (!inner.complete && inner.below === undefined && inner.ineffective === undefined)
      return wrong(clause("spf-flatten-by-message", { text: inner.term.text }));
  }
  if (branch.networks.length === 0) return wrong(clause("spf-flatten-no-address"));
  return ok(joinNetworks(branch.networks));
}

/** Terms as records of at most {@link MAX_OCTETS}. */
function split(terms: readonly string[], end: string): string[] {
  const texts: string[] = [];
  let words: string[] = [];
  for (const term of terms) {
    if (["v=spf1", ...words, term, end].join(" ").length > MAX_OCTETS && words.length > 0) {
      texts.push(["v=spf1", ...words, end].join(" "));
      words = [];
    }
    words.push(term);
  }
  texts.push(["v=spf1", ...words, end].join(" "));
  return texts;
}

/**
 * Replaces includes of a record by the addresses they stand for today, in the place of the first of them. Fewer
 * questions are asked then, and nobody notices when the service moves: that is what `sources` is remembered for.
 */
export async function flattenSpf(
  record: SpfRecord,
  domain: DomainName,
  targets: readonly string[],
  lookup: Lookup,
): Promise<Result<Flattened, FlattenError>> {
  const tree = await spfTree(record, domain.slice(0, -1), lookup, { addresses: true });
  const wanted = new Set(
    targets.map((target) =>
      target
        .toLowerCase()
        .replace(/^include:/, "")
        .replace(/\.$/, ""),
    ),
  );
  const isWanted = ({ term }: SpfBranch): boolean =>
    term.kind === "mechanism" &&
    term.name === "include" &&
    term.qualifier === "+" &&
    wanted.has((term.domain as string).toLowerCase().replace(/\.$/, ""));
  const chosen = tree.branches.filter(isWanted);
  const missing = [...wanted].find(
    (candidate) =>
      !chosen.some(({ term }) => term.kind === "mechanism" && term.domain?.toLowerCase().replace(/\.$/, "") === candidate),
  );
  if (missing !== undefined) return err({ term: `include:${missing}`, because: clause("spf-flatten-no-such-include") });
  const networks: Network[] = [];
  const sources: { term: string; addresses: string[] }[] = [];
  for (const branch of chosen) {
    const own = addressesOf(branch);
    if (!own.ok) return own;
    networks.push(...own.value);
    sources.push({ term: branch.term.text, addresses: own.value.map(networkTerm) });
  }
  const addresses = joinNetworks(networks).map(networkTerm);
  const around = (middle: readonly string[]): string => {
    const first = tree.branches.findIndex(isWanted);
    const words = tree.branches.flatMap((branch, i) => (i === first ? middle : isWanted(branch) ? [] : [branch.term.text]));
    return ["v=spf1", ...words].join(" ");
  };
  const whole = around(addresses);
  if (whole.length <= MAX_OCTETS) return ok({ text: whole, parts: [], sources });
  const parts = split(addresses, "?all").map((text, i) => ({ name: nameOf(`_addresses${i + 1}`, domain), text }));
  return ok({ text: around(parts.map(({ name }) => `include:${name.slice(0, -1)}`)), parts, sources });
}

/** What became of an include that was replaced by its addresses. */
export type Move =
  | { readonly kind: "same" }
  /** It could not be asked, and so has not moved. */
  | { readonly kind: "unknown"; readonly because: Clause }
  /** It leads to no record any more. */
  | { readonly kind: "gone"; readonly because: Clause }
  | { readonly kind: "moved"; readonly because: Clause };

/** Compares the addresses that replaced an include with those it stands for now. */
export function movedFrom(term: string, before: readonly string[], now: SpfTree): Move {
  const failed = [...branchesOf(now)].find(
    ({ branch }) => branch.failed !== undefined || branch.below?.problem?.kind === "failed",
  );
  if (failed !== undefined)
    return { kind: "unknown", because: failed.branch.failed ?? failed.branch.below?.problem?.because ?? NOTHING };
  if (now.problem !== undefined)
    return { kind: now.problem.kind === "failed" ? "unknown" : "gone", because: now.problem.because };
  const branch: SpfBranch = {
    term: { kind: "mechanism", name: "include", qualifier: "+", text: term, at: 0 },
    lookups: 0,
    networks: now.branches.flatMap((spfBranch) => spfBranch.networks),
    complete: true,
    risks: [],
    below: now,
  };
  const today = addressesOf(branch);
  const addresses = (today.ok ? today.value : joinNetworks(branch.networks)).map(networkTerm);
  const fresh = addresses.filter((address) => !before.includes(address));
  const gone = before.filter((candidate) => !addresses.includes(candidate));
  if (fresh.length + gone.length === 0) return { kind: "same" };
  return { kind: "moved", because: clause("spf-moved", { term, fresh, gone }) };
}
