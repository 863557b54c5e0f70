import type { DomainName } from "../../core/name/index.ts";
import type { Journal, Publication } from "../../workspace/index.ts";

/**
 * Whether a publication leaves a person something to do: it stays open until the zone shows it. An approval may, where the DNS
 * host took only a part.
 */
export const hasSheet = ({ way }: { readonly way: string }): boolean => way === "by-hand" || way === "approval";

/** The newest sheet that is still to be entered; undefined where there is none. */
export const openSheet = (journal: Journal, domain: DomainName): Publication | undefined =>
  journal.publications(domain).findLast(({ opened, closed }) => closed === undefined && hasSheet(opened));
