import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { fillKit, type KitError } from "../../core/kit/index.ts";
import { type DomainName, isAtOrBelow, parseName, withoutRootDot } from "../../core/name/index.ts";
import { templateOfKit, type Unsaid } from "../../core/template/index.ts";
import type { Domain, KitFile, Workspace } from "../../workspace/index.ts";
import { type AppContext, answerFrom, type Outcome } from "../context.ts";
import { namedKit } from "../kits/read.ts";
import { type Decision, domainFor, reviseAsks } from "./add.ts";
import type { IntakeRequest } from "./intake-request.ts";
import { newOf } from "./kit-asks.ts";
import type { Intake, NewAsk } from "./new-ask.ts";

/** Saves the asks of a kit, its blanks filled from --input or asked for on the terminal. */
export async function fromKit(
  request: Pick<IntakeRequest, "input" | "domain" | "dryRun" | "acceptKit" | "acceptLeftover" | "host" | "insteadOf"> & {
    readonly kit: string;
  },
  workspace: Workspace,
  context: AppContext,
): Promise<Outcome<Intake>> {
  const file = await namedKit(request.kit, workspace, context, { accept: request.acceptKit, dryRun: request.dryRun });
  const { kit } = file;
  await expectWhole(file, request, context);
  const values = new Map(
    request.input.map((text) => {
      const at = text.indexOf("=");
      if (at < 1) throw new Failure("kit-input-form", { given: text, inputs: Object.keys(kit.inputs) });
      return [text.slice(0, at), text.slice(at + 1)] as const;
    }),
  );
  const domain = await domainFor(workspace, request, "", context);
  const at = placeOf(file, request.host, domain);
  for (;;) {
    const filled = fillKit(kit, domain.name, values, workspace.settings.defaults.ttl, at);
    if (filled.ok) {
      // A kit may be used again when the service shows what it kept back; what is already saved stays as it is.
      const decide = (now: Domain): Decision<readonly NewAsk[]> => {
        const filledAsks = filled.value.asks.map(
          (ask): NewAsk => ({ ...ask, ...withRules(ask.template, file), service: kit.service, domain: now.name }),
        );
        const { add, newer, without } = newOf(filledAsks, now, request.insteadOf);
        newerThan = newer;
        replaced = [...without.keys()];
        return { service: { key: kit.service, title: kit.title }, add, without, result: add };
      };
      let newerThan: readonly string[] = [];
      let replaced: readonly string[] = [];
      const dry = request.dryRun;
      const asks = dry ? decide(domain).result : await reviseAsks(workspace, domain.name, context, decide);
      return {
        ended: "fine",
        result: {
          domain: domain.name,
          written: !dry && asks.length > 0,
          already: asks.length === 0 ? filled.value.asks.map(({ id }) => id) : [],
          newerThan,
          insteadOf: replaced,
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

/** Parts of a template that no record can say, so that an ask would be a part of what the service needs. */
const LOSES: ReadonlySet<Unsaid["code"]> = new Set([
  ...(["flattened-alias", "redirect", "variable-in-number", "unknown-key", "record-type", "field-missing"] as const),
]);

/** Refuses a template of which no record says all, unless the person takes the rest; one that leaves nothing is refused always. */
async function expectWhole(
  { kit, unsaid }: KitFile,
  { acceptLeftover }: Pick<IntakeRequest, "acceptLeftover">,
  context: AppContext,
): Promise<void> {
  const lost = unsaid.filter(({ code }) => LOSES.has(code));
  const isEmpty = kit.asks.every(({ records, spf, dmarc }) => records.trim() === "" && spf === undefined && dmarc === undefined);
  if (isEmpty) throw new Failure("kit-without-records", { kit: kit.title, unsaid: lost });
  if (lost.length === 0 || acceptLeftover) return;
  if (!context.interactive || (await context.choose({ kind: "kit-unsaid", kit: kit.title, unsaid: lost })) !== "yes")
    throw new Failure("kit-unsaid", { kit: kit.title, unsaid: lost });
}

/** The name that the records of a kit are relative to: the domain, or the host below it that was chosen. */
function placeOf({ kit }: KitFile, host: string | undefined, domain: Domain): DomainName {
  if (host === undefined || host === "@") {
    if (kit.template?.hostRequired === true) throw new Failure("kit-host-required", { kit: kit.title });
    return domain.name;
  }
  // A host may be written whole.
  const [whole, relative] = [parseName(host), parseName(host, domain.name)];
  const at = [whole, relative].find((name) => name.ok && isAtOrBelow(name.value, domain.name));
  // A name with the ending of a domain is a whole one, and of another domain.
  const isForeign =
    at === relative && host.includes(".") && host.split(".").at(-1) === withoutRootDot(domain.name).split(".").at(-1);
  if (at?.ok !== true || isForeign) throw new Failure("kit-host-outside", { given: host, domain: domain.name });
  return at.value;
}

/** The template of an ask with the records of its group, so that it is known later what a DNS host does with them. */
function withRules(use: NewAsk["template"], { kit, template }: KitFile): Pick<NewAsk, "template"> {
  if (use === undefined) return {};
  const all = (template ?? templateOfKit(kit).template).records;
  return { template: { ...use, records: all.filter(({ groupId }) => use.group === undefined || groupId === use.group) } };
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
