import * as z from "zod";
import { type Clauses, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type HelperSet, runHelper } from "../../net/helper.ts";
import type { Domain } from "../../workspace/index.ts";
import { openWorkspace, pickDomains } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { sentence } from "../shapes.ts";

export const checkHelperSchema = z.object({
  host: z.string(),
  steps: z.array(z.object({ step: sentence, met: z.boolean(), detail: sentence })),
});

type HelperStep = Clauses["helper-step"]["step"];
type Step = z.output<typeof checkHelperSchema>["steps"][number];

/** What {@link checkHelper} is asked. */
export interface CheckHelperRequest extends CommonRequest {
  readonly timeout: number;
}

/** Check the helper program of a domain's DNS host against the contract, on a scratch name that is removed again. */
export async function checkHelper(
  request: CheckHelperRequest,
  context: AppContext,
): Promise<Outcome<z.output<typeof checkHelperSchema>>> {
  const workspace = openWorkspace(context.cwd, request.workspace);
  const [domain] = pickDomains(workspace, [nameOperand(onlyOperand(request))]) as [Domain];
  const host = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host];
  if (host?.publish.way !== "helper") throw new Failure("no-helper", { domain: domain.name });
  const program = host.publish.command;
  const how = { cwd: workspace.folder, env: context.env, timeout: request.timeout };
  const scratch = { name: `_zandrel-check.${domain.name}`, type: "TXT" };
  const set = (...data: string[]): HelperSet => ({ ttl: 300, data: data.map((text) => `"${text}"`) });
  const steps: Step[] = [];
  const same = (a: HelperSet | null, b: HelperSet | null) =>
    JSON.stringify(a && { ...a, data: [...a.data].sort() }) === JSON.stringify(b && { ...b, data: [...b.data].sort() });

  const describe = await runHelper(program, { action: "describe" }, how);
  steps.push({
    step: clause("helper-step", { step: "describes" }),
    met: describe.ok,
    detail: describe.ok
      ? clause("helper-is", { title: describe.value.title, atomic: describe.value.atomic })
      : describe.error.detail,
  });
  const shows = async (step: HelperStep, expected: HelperSet | null): Promise<boolean> => {
    const read = await runHelper(program, { action: "read", zone: domain.name, sets: [scratch] }, how);
    const seen = read.ok
      ? (read.value.sets.find((candidate) => candidate.name === scratch.name && candidate.type === scratch.type)?.set ?? null)
      : undefined;
    const met = seen !== undefined && same(seen, expected);
    steps.push({
      step: clause("helper-step", { step }),
      met,
      detail: read.ok ? clause("helper-shows", { data: seen?.data ?? [] }) : read.error.detail,
    });
    return met;
  };
  const applies = async (
    step: HelperStep,
    before: HelperSet | null,
    after: HelperSet | null,
    expected: "done" | "moved",
  ): Promise<void> => {
    const applied = await runHelper(
      program,
      { action: "change", zone: domain.name, changes: [{ ...scratch, before, after }] },
      how,
    );
    steps.push({
      step: clause("helper-step", { step }),
      met: applied.ok && applied.value.outcome === expected,
      detail: applied.ok
        ? clause("helper-says", { outcome: applied.value.outcome, reason: applied.value.reason })
        : applied.error.detail,
    });
  };
  // A helper that cannot even show an empty name is not let near the zone.
  if (describe.ok && (await shows("shows-empty", null))) {
    await applies("adds", null, set("one"), "done");
    await shows("shows-added", set("one"));
    await applies("extends", set("one"), set("one", 'two \\"quoted\\"'), "done");
    await shows("shows-extended", set("one", 'two \\"quoted\\"'));
    await applies("refuses-changed", set("older"), set("three"), "moved");
    await shows("shows-unchanged", set("one", 'two \\"quoted\\"'));
    await applies("removes", set("one", 'two \\"quoted\\"'), null, "done");
    await shows("shows-removed", null);
  }
  return { ended: steps.every((step) => step.met) ? "fine" : "problem", result: { host: host.title, steps } };
}
