import { Failure } from "../../core/failure.ts";
import { parseName, withoutRootDot } from "../../core/name/index.ts";
import type { Domain, Workspace } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";

/** What a command is about: domains, each with the ids of the asks that count. */
export type Targets = Map<Domain, ReadonlySet<string>>;

const domainNamed = (workspace: Workspace, text: string): Domain | undefined => {
  const parsed = parseName(text);
  return parsed.ok ? workspace.domains.find((candidate) => candidate.name === parsed.value) : undefined;
};

/** The ask that `DOMAIN/ID` names. */
function inDomain(workspace: Workspace, operand: string): { domain: Domain; id: string } | undefined {
  const at = operand.lastIndexOf("/");
  const domain = at < 1 ? undefined : domainNamed(workspace, operand.slice(0, at));
  const id = operand.slice(at + 1);
  return domain?.asks.some((ask) => ask.id === id) === true ? { domain, id } : undefined;
}

/**
 * What the operands of a command name: whole domains, or single asks as `ID`, `DOMAIN ID` or `DOMAIN/ID`. Nothing named is
 * every domain. Ids are unique within a domain only.
 */
export function targetsOf(workspace: Workspace, operands: readonly string[]): Targets {
  const targets = new Map<Domain, Set<string>>();
  const add = (domain: Domain, ids: readonly string[]) => targets.set(domain, new Set([...(targets.get(domain) ?? []), ...ids]));
  const given = operands.length > 0 ? operands : workspace.domains.map((domain) => domain.name);
  for (let i = 0; i < given.length; i++) {
    const operand = given[i] as string;
    const domain = domainNamed(workspace, operand);
    if (domain !== undefined) {
      // Ids behind a domain are asks of that domain.
      const ids: string[] = [];
      while (domain.asks.some((ask) => ask.id === given[i + 1])) ids.push(given[++i] as string);
      add(domain, ids.length > 0 ? ids : domain.asks.map((ask) => ask.id));
      continue;
    }
    const within = inDomain(workspace, operand);
    const holders = workspace.domains.filter((candidate) => candidate.asks.some((ask) => ask.id === operand));
    if (within !== undefined) add(within.domain, [within.id]);
    else if (holders.length === 1) add(holders[0] as Domain, [operand]);
    else if (holders.length > 1)
      throw new Failure("ask-in-several", { ask: operand, domains: holders.map((holder) => holder.name) });
    else
      throw new Failure("unknown-target", {
        given: operand,
        known: workspace.domains.flatMap((one) => [withoutRootDot(one.name), ...one.asks.map((ask) => ask.id)]),
      });
  }
  return targets;
}

/**
 * The operands with every id that several domains hold made clear: on a terminal the domain is picked from a list.
 * Elsewhere they stay as they are.
 */
export async function clearOperands(
  workspace: Workspace,
  operands: readonly string[],
  context: Pick<AppContext, "interactive" | "choose">,
): Promise<readonly string[]> {
  if (!context.interactive) return operands;
  const clear: string[] = [];
  for (const [i, operand] of operands.entries()) {
    const behind = i === 0 ? undefined : domainNamed(workspace, operands[i - 1] as string);
    const holders = workspace.domains.filter((candidate) => candidate.asks.some((ask) => ask.id === operand));
    const asks = holders.map(({ name }) => `${withoutRootDot(name)}/${operand}`);
    const unclear = holders.length > 1 && (behind === undefined || !holders.includes(behind));
    clear.push((unclear ? await context.choose({ kind: "which-ask", asks }) : undefined) ?? operand);
  }
  return clear;
}

/** The operands of a command that is about one ask; on a terminal the ask is picked from a list where none is named. */
export async function oneAsk(
  workspace: Workspace,
  operands: readonly string[],
  context: Pick<AppContext, "interactive" | "choose">,
): Promise<{ readonly domain: Domain; readonly id: string }> {
  const targets =
    operands.length === 0
      ? new Map<Domain, ReadonlySet<string>>()
      : targetsOf(workspace, await clearOperands(workspace, operands, context));
  const named = [...targets].flatMap(([domain, ids]) => [...ids].map((id) => ({ domain, id })));
  const [only] = named;
  if (only !== undefined && named.length === 1) return only;
  const all = named.length > 0 ? named : workspace.domains.flatMap((domain) => domain.asks.map(({ id }) => ({ domain, id })));
  const keyOf = (one: { domain: Domain; id: string }) => `${withoutRootDot(one.domain.name)}/${one.id}`;
  const chosen =
    context.interactive && all.length > 0 ? await context.choose({ kind: "which-ask", asks: all.map(keyOf) }) : undefined;
  const picked = all.find((candidate) => keyOf(candidate) === chosen);
  if (picked === undefined) throw new Failure("ask-needed", { known: all.map(keyOf) });
  return picked;
}
