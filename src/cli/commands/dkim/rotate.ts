import { z } from "zod";
import { addAsks, ownService } from "../../../app/asks/add.ts";
import { wantedText } from "../../../app/asks/survey.ts";
import { resolverOptions, spanOption } from "../../../app/dns/context.ts";
import { domainOperands, writing } from "../../../app/session.ts";
import { withoutRootDot } from "../../../app/shapes.ts";
import { checkSelector, keyNameOf, ROTATION_STEPS, rotationPlan } from "../../../core/dkim/index.ts";
import { liveAt, memoized } from "../../../core/lookup/index.ts";
import { type DomainName, displayName } from "../../../core/name/index.ts";
import { cacheWindowOf } from "../../../core/spread/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { deadline, isoTime, wrap } from "../../../present/index.ts";
import { KEY_TYPES, type KeyType, removeAsk } from "../../../workspace/index.ts";
import { command } from "../../command.ts";
import { knownSelectors } from "./check.ts";
import { makeKey, newKeyShape } from "./new.ts";

const result = z.object({
  at: z.string(),
  domain: z.string(),
  from: z.string(),
  to: z.string(),
  steps: z.array(
    z.object({
      kind: z.enum(ROTATION_STEPS),
      from: z.string(),
      state: z.enum(["done", "now", "later"]),
      what: z.string(),
      because: z.string(),
      command: z.string().nullable(),
    }),
  ),
  made: newKeyShape.nullable().describe("the key that was made just now"),
  asks: z.array(z.string()).describe("asks that were taken down just now"),
});
type Result = z.output<typeof result>;

/** Seconds that mail signed with the old key may be on its way; mail servers give up after about five days. */
const TRANSIT = 7 * 86_400;

export default command<Result>({
  name: "dkim rotate",
  operands: "DOMAIN --from SELECTOR --to SELECTOR",
  summary: "replace a DKIM key in an order in which no message fails: every step with its date, and the asks for it",
  examples: [
    ["zandrel dkim rotate brackwater.example --from z202603 --to z202609", "the plan, and where it stands today"],
    ["zandrel dkim rotate brackwater.example --from z202603 --to z202609 --write", "make the new key and take down the asks"],
    [
      "zandrel dkim rotate brackwater.example --from z202603 --to z202609 --switched",
      "mail is signed with the new key from now on",
    ],
  ],
  options: {
    ...resolverOptions,
    from: { type: "string", requiresArg: true, describe: "the selector in use" },
    to: { type: "string", requiresArg: true, describe: "the selector of the new key" },
    type: { choices: KEY_TYPES, default: "rsa-2048", requiresArg: true, describe: "kind and size of the new key" },
    transit: { type: "string", requiresArg: true, describe: "how long mail may be on its way (7d if not given)" },
    service: { type: "string", requiresArg: true, describe: "the service that signs (your own mail if not given)" },
    write: { type: "boolean", default: false, describe: "make the new key and take down the asks" },
    revoke: { type: "boolean", default: false, describe: "end the old key's ask, so that its empty key can be published" },
    insist: { type: "boolean", default: false, describe: "with --revoke, even while mail may be on its way" },
    switched: { type: "boolean", default: false, describe: "record that mail is signed with the new key from now on" },
  },
  schema: result,
  run(args, context) {
    const { from, to } = args as { from?: string; to?: string };
    if (args._.length !== 1 || from === undefined || to === undefined || from === to)
      throw new UserError(
        "zandrel dkim rotate wants one domain and two selectors: for example zandrel dkim rotate brackwater.example --from z202603 --to z202609.",
      );
    return writing(args, context, domainOperands(args._), async ({ workspace, domains: [domain], dns }, journal) => {
      if (domain === undefined) throw new UserError("zandrel dkim rotate wants a domain of the workspace.");
      for (const selector of [from, to])
        if (keyNameOf(domain.name, selector) === undefined)
          throw new UserError(`“${selector}” is not a selector: use letters, digits, hyphens and dots.`);
      const { now } = dns;
      const asks: string[] = [];
      let made: Result["made"] = null;
      const service = ownService(workspace, args);
      const idFor = (selector: string, what: string): string =>
        `${service.key}-${what}-${selector.toLowerCase().replace(/[^a-z0-9]+/g, "-")}`;
      const newId = idFor(to, "dkim");
      const revokedId = idFor(from, "revoked");
      if (args.write === true) {
        // A key file without its ask, as a kill in between leaves it, is refused: the empty key must never come alone.
        if (!domain.asks.some((ask) => ask.id === newId)) {
          made = await makeKey(domain.name, to, args.type as KeyType, workspace.folder, workspace, args, context);
          asks.push(newId);
        }
        if (!domain.asks.some((ask) => ask.id === revokedId)) {
          const name = keyNameOf(domain.name, from) as DomainName;
          const revoked = { name, type: "TXT", ttl: workspace.settings.defaults.ttl, data: { strings: ["v=DKIM1; p="] } };
          const after = asks.includes(newId) || domain.asks.some((ask) => ask.id === newId) ? [newId] : [];
          await addAsks(
            [{ id: revokedId, service: service.key, purpose: "sending", domain: domain.name, after, records: [revoked] }],
            made === null ? service : { ...service, added: false },
            domain,
            workspace,
            context,
          );
          asks.push(revokedId);
        }
      }
      const switches = journal.entries(domain.name, "key-switched").filter((one) => one.to === to);
      if (args.switched === true && switches.length === 0) journal.append(now, domain.name, { kind: "key-switched", from, to });
      const switched = switches[0]?.at ?? (args.switched === true ? now : undefined);
      const lookup = memoized((await dns.look(domain)).lookup ?? dns.world);
      const there = await checkSelector(domain.name, to, lookup);
      if (there.state === "unknown")
        throw new UserError(
          `${displayName(there.name)} could not be asked (${there.remarks[0]?.because}): try again later.`,
          EXIT.undetermined,
        );
      const name = keyNameOf(domain.name, to) as DomainName;
      const published = journal
        .publications(domain.name)
        .filter(({ opened, closed }) => closed?.end === "published" && opened.changes.some((change) => change.name === name))
        .map(({ closed }) => closed?.at)
        .findLast((at) => at !== undefined);
      const cacheWindow = cacheWindowOf(
        await liveAt(lookup, domain.name, `zandrel-no-such-name.${domain.name}` as DomainName, "TXT"),
      );
      const transit = spanOption(args, "transit");
      const steps = rotationPlan({
        oldSelector: from,
        newSelector: to,
        now,
        cacheWindow: cacheWindow?.seconds ?? 86_400,
        transit: transit === undefined ? TRANSIT : transit / 1000,
        ...(there.state === "absent" ? {} : { published: published ?? now - (cacheWindow?.seconds ?? 86_400) * 1000 }),
        ...(switched === undefined ? {} : { switched }),
      });
      const oldAsk = domain.asks.find(
        (ask) => ask.id !== revokedId && ask.wanted.some((set) => set.name === keyNameOf(domain.name, from)),
      )?.id;
      if (args.revoke === true) {
        const due = steps.find((step) => step.kind === "revoke");
        if (due?.state === "later" && args.insist !== true)
          throw new UserError(
            `mail signed with ${from} may still be on its way until ${switched === undefined ? "a while after the switch, which has not been recorded" : deadline(due.from, now)}: wait, or say --insist if the old key was stolen.`,
            EXIT.not,
          );
        const fresh = domain.asks.find((ask) => ask.id === newId);
        journal.exclusively(() => {
          if (oldAsk !== undefined) {
            removeAsk(domain, oldAsk);
            journal.append(now, domain.name, { kind: "ask-retired", ask: oldAsk, because: `its key was replaced by ${to}` });
          }
          // The ask for the empty key waits until mail is signed with the new one, and that is proven now.
          if (fresh !== undefined)
            journal.append(now, domain.name, {
              kind: "proven",
              ask: newId,
              wanted: wantedText(fresh),
              by: "user",
              evidence: `mail is signed with ${to}, and ${from} is no longer needed`,
            });
        });
      }
      const plain = withoutRootDot(domain.name);
      const hasKeyNow = knownSelectors(workspace, domain.name).includes(to) || made !== null;
      const commands: Readonly<Record<Result["steps"][number]["kind"], string | null>> = {
        publish: hasKeyNow ? `zandrel publish ${plain}` : `zandrel dkim rotate ${plain} --from ${from} --to ${to} --write`,
        settle: `zandrel watch ${plain}`,
        switch: `zandrel dkim rotate ${plain} --from ${from} --to ${to} --switched`,
        keep: null,
        revoke:
          args.revoke === true
            ? `zandrel publish ${plain} --replace ${from}._domainkey.${plain}`
            : `zandrel dkim rotate ${plain} --from ${from} --to ${to} --revoke`,
        remove: `zandrel retire ${revokedId}`,
      };
      return {
        exit: EXIT.ok,
        result: {
          at: isoTime(now),
          domain: domain.name,
          from,
          to,
          steps: steps.map((step) => ({ ...step, from: isoTime(step.from), command: commands[step.kind] })),
          made,
          asks,
        },
      };
    });
  },
  present({ at, domain, from, to, steps, made, asks }, { style, width }) {
    const now = Date.parse(at);
    const marks = { done: style.good("✓"), now: style.careful("→"), later: "…" } as const;
    return [
      style.title(`From ${from} to ${to}, for ${displayName(domain as DomainName)}`),
      ...(made === null ? [] : [`${style.good("written")}  ${made.keyFile} (the private key; only you can read it)`]),
      ...asks.map((ask) => `${style.good("taken down")}  ${ask}`),
      "",
      ...steps.flatMap((step) => [
        `${marks[step.state]} ${(step.state === "done" ? "" : deadline(Date.parse(step.from), now)).padEnd(24)} ${style.strong(step.what)}`,
        `  ${" ".repeat(25)}${style.quiet(wrap(step.because, width - 27, " ".repeat(27)))}`,
        ...(step.state === "now" && step.command !== null ? [`  ${" ".repeat(25)}${style.command(step.command)}`] : []),
      ]),
      "",
    ].join("\n");
  },
});
