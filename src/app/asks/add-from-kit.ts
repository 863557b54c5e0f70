import { fillKit, type Kit, type KitError } from "../../core/ask/index.ts";
import { Failure } from "../../core/failure.ts";
import { visible } from "../../present/index.ts";
import { readKit, type Workspace } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";

import { addAsks, askJson, domainFor, type IntakeResult, type NewAsk } from "./add.ts";

/** Takes down the asks of a kit, its blanks filled from --input or asked for on the terminal. */
export async function fromKit(
  request: KitRequest,
  workspace: Workspace,
  context: AppContext,
): Promise<{ exit: Ended; result: IntakeResult }> {
  const kit = readKit(workspace.folder, context.cwd, request.kit);
  const values = new Map(
    request.input.map((text) => {
      const at = text.indexOf("=");
      if (at < 1) throw new Failure("kit-input-form", { given: text, inputs: Object.keys(kit.inputs) });
      return [text.slice(0, at), text.slice(at + 1)] as const;
    }),
  );
  const domain = domainFor(workspace, request, "");
  for (;;) {
    const filled = fillKit(kit, domain.name, values, workspace.settings.defaults.ttl);
    if (filled.ok) {
      const added = !Object.hasOwn(workspace.settings.services, kit.service);
      // A kit may be used again when the service shows what it kept back; what is taken down already stays as it is.
      const known = new Set(domain.asks.map((ask) => ask.id));
      const asks = filled.value.asks
        .filter((ask) => !known.has(ask.id))
        .map((ask): NewAsk => ({ ...ask, service: kit.service, domain: domain.name }));
      const dry = request.dryRun;
      if (asks.length === 0) throw new Failure("kit-all-saved", { later: filled.value.later }, "fine");
      if (!dry) await addAsks(asks, { key: kit.service, title: kit.title, added }, domain, workspace, context);
      return {
        exit: "fine",
        result: {
          written: !dry,
          layout: `kit ${kit.title}`,
          asks: asks.map(askJson),
          pasted: [],
          repairs: [],
          questions: [],
          before: [...kit.before],
          later: [...filled.value.later],
        },
      };
    }
    const { error } = filled;
    if ((error.code === "missing-input" || error.code === "malformed-input") && context.interactive) {
      if (error.code === "malformed-input") context.note("That does not have the form it needs.\n");
      const answer = await context.prompt(
        `${visible(error.explain)}${error.example === undefined ? "" : ` (such as ${visible(error.example)})`}\n${error.input}: `,
      );
      if (answer === "") throw new Failure("input-left-open", {});
      values.set(error.input, answer);
      continue;
    }
    throw new Failure("kit-input", { error, kit: kit.title });
  }
}

function kitErrorText(error: KitError, kit: Kit): string {
  switch (error.code) {
    case "missing-input":
      return `the kit ${kit.title} needs ${error.input} (${visible(error.explain)}): give it with --input ${error.input}=…`;
    case "malformed-input":
      return `--input ${error.input} does not have the form the kit ${kit.title} wants (${visible(error.explain)}${error.example === undefined ? "" : `; such as ${visible(error.example)}`}): copy it again.`;
    case "unknown-input":
      return `the kit ${kit.title} has no input “${visible(error.input)}”: it has ${error.known.join(", ") || "none"}.`;
    case "bad-records":
      return `the ask ${error.ask} of the kit ${kit.title} does not come out as records: ${visible(error.because)}; correct the kit or the input.`;
    default:
      return `the kit ${kit.title} is wrong at ${error.ask}: correct it.`;
  }
}
