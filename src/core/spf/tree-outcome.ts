import { type Clause, clause } from "../clause/index.ts";
import { asksDns, MAX_LOOKUPS } from "./parse.ts";
import type { SpfBranch, SpfTree } from "./tree.ts";

/** The cost of a whole tree against the limit of ten. */
export const treeLookups = ({ branches }: SpfTree): number => branches.reduce((sum, spfBranch) => sum + spfBranch.lookups, 0);

/** Whether a record lets everybody in: a branch says so that receivers come to before they give up. */
export function letsEverybodyIn(tree: SpfTree): boolean {
  const error = treeError(tree);
  const end = tree.branches.findIndex(({ term }) => term.text === error?.term);
  return (end === -1 ? tree.branches : tree.branches.slice(0, end)).some(
    (candidate) => candidate.ineffective === undefined && candidate.risks.some((risk) => risk.kind === "everybody"),
  );
}

/** Empty answers an evaluation may have (RFC 7208 section 4.6.4). */
export const MAX_VOID = 2;

/**
 * Why receivers treat the whole record as an error (permerror) once they come to a term: too many lookups, too many
 * empty answers, or an include or redirect to no usable record. Undefined where nothing of that is known.
 */
export function treeError(tree: SpfTree): { readonly term: string; readonly because: Clause } | undefined {
  let lookups = 0;
  let voids = 0;
  const visit = ({ branches }: SpfTree): { term: string; because: Clause } | undefined => {
    for (const { term, below, ineffective } of branches) {
      if (ineffective?.kind === "unreachable") continue;
      if (asksDns(term) && ++lookups > MAX_LOOKUPS)
        return { term: term.text, because: clause("spf-over-limit", { most: MAX_LOOKUPS }) };
      if (below === undefined && ineffective?.kind === "void" && ++voids > MAX_VOID)
        return { term: term.text, because: clause("spf-over-voids", { most: MAX_VOID }) };
      if (below?.problem !== undefined) {
        if (below.problem.kind === "failed") continue;
        const { kind, because } = below.problem;
        return {
          term: term.text,
          because: kind === "loop" ? clause("spf-round-and-round", { because, most: MAX_LOOKUPS }) : because,
        };
      }
      const inside = below === undefined ? undefined : visit(below);
      if (inside !== undefined) return { term: term.text, because: inside.because };
    }
    return undefined;
  };
  return visit(tree);
}

/** Every branch of a tree, from the top down, with how deep it lies. */
export function* branchesOf(tree: SpfTree, depth = 0): Generator<{ branch: SpfBranch; depth: number }> {
  for (const branch of tree.branches) {
    yield { branch, depth };
    if (branch.below !== undefined) yield* branchesOf(branch.below, depth + 1);
  }
}
