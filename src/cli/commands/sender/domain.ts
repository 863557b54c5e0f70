import { z } from "zod";
import { nameOperand, resolverOptions } from "../../../app/dns/context.ts";
import {
  BY_HAND,
  lastState,
  linkTrouble,
  missingShape,
  offersOf,
  recordByHand,
  recordedText,
  unsettledAsks,
  withService,
} from "../../../app/services/services.ts";
import { withoutRootDot } from "../../../app/shapes.ts";
import type { DomainState } from "../../../core/sending/index.ts";
import { EXIT } from "../../../core/user-error.ts";
import { askLink } from "../../../net/service-link.ts";
import { isoTime, visible, wrap } from "../../../present/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  at: z.string(),
  service: z.string(),
  title: z.string(),
  domain: z.string(),
  state: z.enum(["unknown", "pending", "accepted"]),
  signing: z.enum(["on", "off"]).nullable().describe("null where the service has no such switch"),
  because: z.string(),
  missing: z.array(missingShape).describe("asks that have to be settled before the service is asked to look"),
  next: z.string().nullable(),
});
type Result = z.output<typeof result>;

export default command<Result>({
  name: "sender domain",
  operands: "SERVICE DOMAIN",
  summary: "have a service accept a domain for sending, and turn its signing on where that is a switch of its own",
  examples: [
    ["zandrel sender domain swiftquill brackwater-tickets.example", "ask the service to look, once the records are settled"],
    ["zandrel sender domain inglemail brackwater.example --signing on", "turn the signing on after the key is seen"],
    [
      "zandrel sender domain heronpost brackwater.example --confirmed --note 'green tick' --on 2026-03-02",
      "record what a service without a link shows",
    ],
  ],
  options: {
    ...resolverOptions,
    signing: { choices: ["on", "off"], requiresArg: true, describe: "turn the service's DKIM signing on or off" },
    "ask-now": { type: "boolean", default: false, describe: "ask the service although its records are not settled" },
    ...BY_HAND,
  },
  schema: result,
  run(args, context) {
    const usage = { operands: 1, example: "zandrel sender domain swiftquill brackwater-tickets.example" };
    return withService(args, context, usage, async (at) => {
      const { service, session, journal } = at;
      const { dns } = session;
      const [operand = ""] = at.operands;
      const domain = nameOperand(operand);
      const { now } = dns;
      const call = `zandrel sender domain ${service.key} ${withoutRootDot(domain)}`;
      const common = { at: isoTime(now), service: service.key, title: service.title, domain, missing: [] };
      const known = lastState(journal, service.key, domain);
      if (args.confirmed === true) {
        const because = recordByHand(at, domain, "accepted", undefined, args, context);
        return { exit: EXIT.ok, result: { ...common, state: "accepted" as const, signing: null, because, next: null } };
      }
      const offers = await offersOf(service);
      if (service.link === undefined || offers?.includes("domains") !== true) {
        const accepted = known?.state === "accepted";
        const because = accepted
          ? recordedText(known, now)
          : `${service.title} cannot be asked about domains from here: look at its page`;
        return {
          exit: accepted ? EXIT.ok : EXIT.not,
          result: {
            ...common,
            state: accepted ? ("accepted" as const) : ("unknown" as const),
            signing: null,
            because,
            next: accepted ? null : `${call} --confirmed`,
          },
        };
      }
      const seen = await askLink(service.link, "showDomain", { at: { domain: withoutRootDot(domain) } });
      if (!seen.ok && seen.error.kind !== "unknown") throw linkTrouble(service, `say where ${operand} stands`, seen.error);
      let said: DomainState = seen.ok
        ? seen.value
        : { domain: withoutRootDot(domain), state: "unknown", reason: "it was not added yet" };
      const signing = args.signing as "on" | "off" | undefined;
      if (said.state !== "accepted" || (signing !== undefined && signing !== said.signing)) {
        const missing = args["ask-now"] === true ? [] : await unsettledAsks(service, domain, session, journal);
        if (missing.length > 0)
          return {
            exit: missing.some(({ state }) => state === "unknown") ? EXIT.undetermined : EXIT.not,
            result: {
              ...common,
              state: said.state,
              signing: said.signing ?? null,
              because: `${service.title} was not asked to look yet: its records are not settled, and who asks too early makes it remember “not found”`,
              missing,
              next: missing[0]?.next ?? null,
            },
          };
        const asked = await askLink(service.link, "offerDomain", {
          at: { domain: withoutRootDot(domain) },
          body: signing === undefined ? {} : { signing },
        });
        if (!asked.ok) throw linkTrouble(service, `accept ${operand}`, asked.error);
        said = asked.value;
      }
      if (known?.state !== said.state)
        journal.append(now, domain, {
          kind: "sender-state",
          service: service.key,
          state: said.state,
          by: "service",
          note: said.reason,
        });
      const off = said.signing === "off";
      return {
        exit: said.state === "accepted" && !off ? EXIT.ok : EXIT.not,
        result: {
          ...common,
          state: said.state,
          signing: said.signing ?? null,
          because: `${service.title} says: ${said.reason}`,
          next: said.state !== "accepted" ? call : off ? `${call} --signing on` : null,
        },
      };
    });
  },
  present({ domain, title, state, signing, because, missing, next }, { style, width }) {
    const mark = state === "accepted" ? style.good("✓ accepted") : style.careful(`○ ${state}`);
    return [
      `${mark}  ${style.title(domain.slice(0, -1))} at ${visible(title)}${signing === null ? "" : `, signing is ${signing === "on" ? style.good("on") : style.bad("off")}`}`,
      `  ${wrap(visible(because).replace(/\.?$/, "."), width - 2, "  ")}`,
      ...missing.map(
        (one) => `  ${style.careful(one.state)}  ${wrap(`${one.what}: ${visible(one.because)}`, width - 4, "    ")}`,
      ),
      ...(next === null ? [] : [`  next: ${style.command(next)}`]),
      "",
    ].join("\n");
  },
});
