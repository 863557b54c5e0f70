import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { type HelperSet, runHelper } from "../../net/helper.ts";
import type { Domain } from "../../workspace/index.ts";
import { openWorkspace, pickDomains } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { nameOperand } from "../dns/context.ts";

export const checkHelperSchema = z.object({
  host: z.string(),
  steps: z.array(z.object({ step: z.string(), met: z.boolean(), detail: z.string() })),
});

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
    step: "describes itself",
    met: describe.ok,
    detail: describe.ok
      ? `${describe.value.title}, ${describe.value.atomic ? "all or nothing" : "one set after the other"}`
      : describe.error.detail,
  });
  const shows = async (step: string, expected: HelperSet | null): Promise<boolean> => {
    const read = await runHelper(program, { action: "read", zone: domain.name, sets: [scratch] }, how);
    const seen = read.ok
      ? (read.value.sets.find((one) => one.name === scratch.name && one.type === scratch.type)?.set ?? null)
      : undefined;
    const met = seen !== undefined && same(seen, expected);
    steps.push({
      step,
      met,
      detail: read.ok ? `it shows ${seen === null || seen === undefined ? "nothing" : seen.data.join(", ")}` : read.error.detail,
    });
    return met;
  };
  const applies = async (
    step: string,
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
      step,
      met: applied.ok && applied.value.outcome === expected,
      detail: applied.ok
        ? `it says ${applied.value.outcome}${applied.value.reason === "" ? "" : ` (${applied.value.reason})`}`
        : applied.error.detail,
    });
  };
  // A helper that cannot even show an empty name is not let near the zone.
  if (describe.ok && (await shows("shows that the scratch name is empty", null))) {
    await applies("adds a set", null, set("one"), "done");
    await shows("shows what was added", set("one"));
    await applies("extends a set", set("one"), set("one", 'two \\"quoted\\"'), "done");
    await shows("shows both, to the letter", set("one", 'two \\"quoted\\"'));
    await applies("refuses where somebody changed the set since", set("older"), set("three"), "moved");
    await shows("changed nothing when it refused", set("one", 'two \\"quoted\\"'));
    await applies("removes a set", set("one", 'two \\"quoted\\"'), null, "done");
    await shows("shows that the scratch name is empty again", null);
  }
  return { ended: steps.every((step) => step.met) ? "fine" : "problem", result: { host: host.title, steps } };
}
