import * as z from "zod";
import { dnsWants } from "../../core/ask/index.ts";
import { checkSelector, keyNameOf, ROTATION_STEPS, rotationPlan } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import { liveAt, memoized } from "../../core/lookup/index.ts";
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import { cacheWindowOf } from "../../core/spread/index.ts";
import type { Domain } from "../../workspace/index.ts";
import { type KEY_TYPES, type KeyType, removeAsk } from "../../workspace/index.ts";
import { addAsks, ownService } from "../asks/add.ts";
import { wantedText } from "../asks/survey.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { domainOperands, writing } from "../session.ts";
import { domainName, time } from "../shapes.ts";
import { knownSelectors } from "./dkim-check.ts";
import { makeKey, newKeyShape } from "./dkim-new.ts";

export const dkimRotateSchema = z.object({
  at: time,
  domain: domainName,
  from: z.string(),
  to: z.string(),
  steps: z.array(
    z.object({
      kind: z.enum(ROTATION_STEPS),
      from: time,
      state: z.enum(["done", "now", "later"]),
      what: z.string(),
      because: z.string(),
      command: z.string().nullable(),
    }),
  ),
  made: newKeyShape.nullable().describe("the key that was made just now"),
  asks: z.array(z.string()).describe("asks that were saved just now"),
});

export type DkimRotateResult = z.output<typeof dkimRotateSchema>;

/** Seconds that mail signed with the old key may be on its way; mail servers give up after about five days. */
const TRANSIT = 7 * 86_400;

/** What {@link dkimRotate} is asked. */
export interface DkimRotateRequest extends CommonRequest, DnsOptions {
  readonly oldSelector: string | undefined;
  readonly newSelector: string | undefined;
  readonly keyType: (typeof KEY_TYPES)[number];
  readonly transit: number | undefined;
  readonly service: string | undefined;
  readonly write: boolean;
  readonly revoke: boolean;
  readonly force: boolean;
  readonly switched: boolean;
}

/** Replace a DKIM key in an order in which no message fails: every step with its date, and the asks for it. */
export async function dkimRotate(request: DkimRotateRequest, context: AppContext): Promise<Outcome<DkimRotateResult>> {
  const { oldSelector: from, newSelector: to } = request;
  if (request.operands.length !== 1 || from === undefined || to === undefined || from === to)
    throw new Failure("rotation-selectors", {});
  return writing(request, context, domainOperands(request.operands), async ({ workspace, domains, dns }, journal) => {
    const [domain] = domains as [Domain];
    for (const selector of [from, to])
      if (keyNameOf(domain.name, selector) === undefined) throw new Failure("not-a-selector", { given: selector });
    const { now } = dns;
    const asks: string[] = [];
    let made: DkimRotateResult["made"] = null;
    const service = ownService(workspace, request);
    const idFor = (selector: string, what: string): string =>
      `${service.key}-${what}-${selector.toLowerCase().replace(/[^a-z0-9]+/g, "-")}`;
    const newId = idFor(to, "dkim");
    const revokedId = idFor(from, "revoked");
    if (request.write) {
      // A key file without its ask, as a kill in between leaves it, is refused: the empty key must never come alone.
      if (!domain.asks.some((ask) => ask.id === newId)) {
        made = await makeKey(domain.name, to, request.keyType as KeyType, workspace.folder, workspace, request, context);
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
    if (request.switched && switches.length === 0) journal.append(now, domain.name, { kind: "key-switched", from, to });
    const switched = switches[0]?.at ?? (request.switched ? now : undefined);
    const lookup = memoized((await dns.look(domain)).lookup ?? dns.world);
    const there = await checkSelector(domain.name, to, lookup);
    if (there.state === "unknown")
      throw new Failure("key-unseen", { name: there.name, because: there.remarks[0]?.because ?? "" }, "undetermined");
    const name = keyNameOf(domain.name, to) as DomainName;
    const published = journal
      .publications(domain.name)
      .filter(({ opened, closed }) => closed?.end === "published" && opened.changes.some((change) => change.name === name))
      .map(({ closed }) => closed?.at)
      .findLast((at) => at !== undefined);
    const cacheWindow = cacheWindowOf(
      await liveAt(lookup, domain.name, `zandrel-no-such-name.${domain.name}` as DomainName, "TXT"),
    );
    const transit = request.transit;
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
      (ask) => ask.id !== revokedId && dnsWants(ask.wants).some((want) => want.name === keyNameOf(domain.name, from)),
    )?.id;
    if (request.revoke) {
      const due = steps.find((step) => step.kind === "revoke");
      if (due?.state === "later" && !request.force)
        throw new Failure(
          "revoke-too-early",
          { selector: from, until: switched === undefined ? undefined : due.from, now },
          "problem",
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
    const commands: Readonly<Record<DkimRotateResult["steps"][number]["kind"], string | null>> = {
      publish: hasKeyNow
        ? `zandrel publish ${plain}`
        : `zandrel dkim rotate ${plain} --old-selector ${from} --new-selector ${to} --write`,
      settle: `zandrel watch ${plain}`,
      switch: `zandrel dkim rotate ${plain} --old-selector ${from} --new-selector ${to} --switched`,
      keep: null,
      revoke: request.revoke
        ? `zandrel publish ${plain} --replace ${from}._domainkey.${plain}`
        : `zandrel dkim rotate ${plain} --old-selector ${from} --new-selector ${to} --revoke`,
      remove: `zandrel retire ${revokedId}`,
    };
    return {
      ended: "fine",
      result: {
        at: now,
        domain: domain.name,
        from,
        to,
        steps: steps.map((step) => ({ ...step, from: step.from, command: commands[step.kind] })),
        made,
        asks,
      },
    };
  });
}
