import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { fillKit, type KitError } from "../../core/kit/index.ts";
import type { Domain, Workspace } from "../../workspace/index.ts";
import { type AppContext, answerFrom, type Outcome } from "../context.ts";
import { namedKit } from "../kits/read.ts";
import { type Decision, domainFor, reviseAsks } from "./add.ts";
import type { IntakeRequest } from "./intake-request.ts";
import type { Intake, NewAsk } from "./new-ask.ts";

/** Saves the asks of a kit, its blanks filled from --input or asked for on the terminal. */
export async function fromKit(
  request: Pick<IntakeRequest, "input" | "domain" | "dryRun" | "acceptKit"> & { readonly kit: string },
  workspace: Workspace,
  context: AppContext,
): Promise<Outcome<Intake>> {
  const { kit } = await namedKit(request.kit, workspace, context, { accept: request.acceptKit, dryRun: request.dryRun });
  const values = new Map(
    request.input.map((text) => {
      const at = text.indexOf("=");
      if (at < 1) throw new Failure("kit-input-form", { given: text, inputs: Object.keys(kit.inputs) });
      return [text.slice(0, at), text.slice(at + 1)] as const;
    }),
  );
  const domain = await domainFor(workspace, request, "", context);
  for (;;) {
    const filled = fillKit(kit, domain.name, values, workspace.settings.defaults.ttl);
    if (filled.ok) {
      // A kit may be used again when the service shows what it kept back; what is already saved stays as it is.
      const decide = (now: Domain): Decision<readonly NewAsk[]> => {
        const known = new Set(now.asks.map((ask) => ask.id));
        const add = filled.value.asks
          .filter((ask) => !known.has(ask.id))
          .map((ask): NewAsk => ({ ...ask, service: kit.service, domain: now.name }));
        return { service: { key: kit.service, title: kit.title }, add, result: add };
      };
      const dry = request.dryRun;
      const asks = dry ? decide(domain).result : await reviseAsks(workspace, domain.name, context, decide);
      return {
        ended: "fine",
        result: {
          domain: domain.name,
          written: !dry && asks.length > 0,
          already: asks.length === 0 ? filled.value.asks.map(({ id }) => id) : [],
          newerThan: [],
          insteadOf: undefined,
          layout: { kit: kit.title },
          asks,
          redirectTo: undefined,
          assumed: [],
          read: undefined,
          before: kit.before,
          later: filled.value.later,
          approvable: asks.some(({ template }) => template !== undefined) && !takesApprovals(workspace, domain),
        },
      };
    }
    const { error } = filled;
    if ((error.code === "missing-input" || error.code === "malformed-input") && context.interactive) {
      if (error.code === "malformed-input") await context.tell(clause("told-input-form"));
      const answer = await answerFrom(
        context,
        clause("question-kit-input", { input: error.input, explain: error.explain, example: error.example }),
      );
      if (answer === "") throw new Failure("input-left-open", {});
      values.set(error.input, answer);
      continue;
    }
    throw kitFailure(error, kit.title);
  }
}

/** Whether a domain is published by approval. */
const takesApprovals = ({ settings }: Workspace, { host }: Domain): boolean =>
  host !== undefined && settings.hosts[host]?.publish.way === "approval";

function kitFailure(error: KitError, kit: string): Failure {
  switch (error.code) {
    case "missing-input":
      return new Failure("kit-input-missing", { kit, input: error.input, explain: error.explain });
    case "malformed-input":
      return new Failure("kit-input-malformed", { kit, input: error.input, explain: error.explain, example: error.example });
    case "unknown-input":
      return new Failure("kit-input-unknown", { kit, given: error.input, known: error.known });
    case "bad-records":
      return new Failure("kit-records", { kit, ask: error.ask, because: error.because });
  }
}
