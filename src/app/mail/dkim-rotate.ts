import * as z from "zod";
import { dnsWants } from "../../core/ask/index.ts";
import { type Clause, clause, NOTHING } from "../../core/clause/index.ts";
import { DAY } from "../../core/day.ts";
import {
  checkSelector,
  type KEY_TYPES,
  type KeyType,
  keyNameOf,
  ROTATION_STEPS,
  type RotationStep,
  readKeyRecord,
  rotationPlan,
  type SelectorCheck,
} from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import { type Lookup, liveAt, memoized } from "../../core/lookup/index.ts";
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import { type DataOf, decodeUtf8, type RecordData, txtValue } from "../../core/record/index.ts";
import { cacheWindowOf } from "../../core/spread/index.ts";
import type { Domain, Journal, JournalledChange, Workspace } from "../../workspace/index.ts";
import { ownService, reviseAsks, type ServiceOfAsk } from "../asks/add.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import type { DnsOptions } from "../dns/context.ts";
import { domainOperands, writing } from "../session.ts";
import { domainName, sentence, time } from "../shapes.ts";
import { wantedText } from "../standing/journal-state.ts";
import { keyAskId } from "../standing/key-ask.ts";
import { knownSelectors } from "./dkim-check.ts";
import { type Made, makeKey, newKeyShape } from "./dkim-new.ts";

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
      what: sentence,
      because: sentence,
      command: sentence.nullable(),
    }),
  ),
  made: newKeyShape.nullable().describe("the key that was made just now"),
  asks: z.array(z.string()).describe("asks that were saved just now"),
});

export type DkimRotateResult = z.output<typeof dkimRotateSchema>;

/** Seconds that mail signed with the old key may be on its way; mail servers give up after about five days. */
const TRANSIT = 7 * DAY;

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

/** One rotation, from its old selector to its new one, with everything it works on. */
interface Rotating {
  readonly request: DkimRotateRequest;
  readonly context: AppContext;
  readonly workspace: Workspace;
  readonly domain: Domain;
  readonly journal: Journal;
  readonly now: number;
  readonly from: string;
  readonly to: string;
  readonly service: ServiceOfAsk;
  /** Ids of the asks for the new key and for the empty key at the old selector. */
  readonly newId: string;
  readonly revokedId: string;
}

/** The newest publication that brought something to a name, or that left it as `is` says. */
function publishedAt(
  { journal, domain }: Rotating,
  name: DomainName,
  is: (change: JournalledChange) => boolean = () => true,
): number | undefined {
  return journal
    .publications(domain.name)
    .filter(
      ({ opened, closed }) =>
        closed?.end === "published" &&
        opened.changes.some((journalledChange) => journalledChange.name === name && is(journalledChange)),
    )
    .map(({ closed }) => closed?.at)
    .findLast((at) => at !== undefined);
}

/** The two keys as they are in the DNS at this moment. A key that could not be looked up ends the run. */
async function lookAtKeys({ domain, from, to }: Rotating, lookup: Lookup) {
  const [old, fresh] = await Promise.all([from, to].map((selector) => checkSelector(domain.name, selector, lookup)));
  for (const key of [old, fresh] as const)
    if (key?.state === "unknown")
      throw new Failure("key-unseen", { name: key.name, because: key.remarks[0]?.because ?? NOTHING });
  return { old: old as SelectorCheck, fresh: fresh as SelectorCheck };
}

const isRevoked = ({ remarks }: SelectorCheck): boolean => remarks.some((remark) => remark.kind === "revoked");

/** Makes the new key and saves the asks for it and for the empty old one, as far as they are not there. */
async function writeAsks(rotating: Rotating): Promise<{ made: Made | null; asks: string[] }> {
  const { request, context, workspace, domain, from, to, service, newId, revokedId } = rotating;
  const has = (id: string) => domain.asks.some((ask) => ask.id === id);
  const made = has(newId)
    ? null
    : await makeKey(domain.name, to, request.keyType as KeyType, workspace.folder, workspace, request, context);
  const added = await reviseAsks(workspace, domain.name, context, (now) => {
    if (now.asks.some((ask) => ask.id === revokedId)) return { result: [] };
    const name = keyNameOf(domain.name, from) as DomainName;
    const revoked = { name, type: "TXT", ttl: workspace.settings.defaults.ttl, data: { strings: ["v=DKIM1; p="] } };
    const common = { service: service.key, purpose: "sending", domain: domain.name } as const;
    return { service, add: [{ ...common, id: revokedId, after: [newId], records: [revoked] }], result: [revokedId] };
  });
  return { made, asks: [...(made === null ? [] : [newId]), ...added] };
}

/** Ends the ask for the old key, and lets the one for its empty key come: mail is signed with the new one now. */
async function revokeOld({ context, workspace, domain, from, to, newId, revokedId }: Rotating): Promise<void> {
  await reviseAsks(workspace, domain.name, context, ({ asks }) => {
    const old = asks.find(
      (ask) => ask.id !== revokedId && dnsWants(ask.wants).some((want) => want.name === keyNameOf(domain.name, from)),
    );
    const fresh = asks.find((ask) => ask.id === newId);
    return {
      without: new Map(old === undefined ? [] : [[old.id, clause("dkim-replaced-by", { to })]]),
      journal:
        fresh === undefined
          ? []
          : [
              {
                kind: "proven",
                ask: newId,
                wanted: wantedText(fresh),
                by: "user",
                because: clause("dkim-signed-with-new", { from, to }),
                evidence: "",
              },
            ],
      result: undefined,
    };
  });
}

/** The command that carries each step out, as it has to be typed now. */
function commandsOf(
  { request, workspace, domain, from, to, revokedId }: Rotating,
  hasKey: boolean,
): Readonly<Record<RotationStep["kind"], Clause | null>> {
  const about = { domain: domain.name };
  const rotate = (step: "write" | "switched" | "revoke") => clause("next-rotate", { ...about, from, to, step });
  const hasOldAsk = domain.asks.some(
    (ask) => ask.id !== revokedId && dnsWants(ask.wants).some((want) => want.name === keyNameOf(domain.name, from)),
  );
  const mayRevoke = request.revoke || (!hasOldAsk && domain.asks.some((ask) => ask.id === revokedId));
  return {
    publish: hasKey || knownSelectors(workspace, domain.name).includes(to) ? clause("next-publish", about) : rotate("write"),
    settle: clause("next-watch", about),
    switch: rotate("switched"),
    keep: null,
    revoke: mayRevoke
      ? clause("next-publish-replacing", { ...about, name: `${from}._domainkey.${withoutRootDot(domain.name)}` })
      : rotate("revoke"),
    remove: clause("next-retire", { ask: revokedId }),
  };
}

/** Replace a DKIM key in an order in which no message fails: every step with its date, and the asks for it. */
export async function dkimRotate(request: DkimRotateRequest, context: AppContext): Promise<Outcome<DkimRotateResult>> {
  const { oldSelector: from, newSelector: to } = request;
  if (request.operands.length !== 1 || from === undefined || to === undefined || from === to)
    throw new Failure("rotation-selectors", {});
  return writing(request, context, domainOperands(request.operands), async ({ workspace, domains, dns }, journal) => {
    const [domain] = domains as [Domain];
    const [oldName, newName] = [from, to].map((selector) => {
      const name = keyNameOf(domain.name, selector);
      if (name === undefined) throw new Failure("not-a-selector", { given: selector });
      return name;
    }) as [DomainName, DomainName];
    const { now } = dns;
    const service = ownService(workspace, request);
    const [newId, revokedId] = [keyAskId(service.key, "dkim", to), keyAskId(service.key, "revoked", from)];
    const rotating: Rotating = { request, context, workspace, domain, journal, now, from, to, service, newId, revokedId };
    const lookup = memoized((await dns.look(domain)).lookup ?? dns.world);
    const { old, fresh } = await lookAtKeys(rotating, lookup);
    const ended = journal.entries(domain.name, "ask-retired").some((journalEntry) => journalEntry.ask === revokedId);
    // A selector at which there never was a key is a slip of the pen, and nothing is made for it.
    if (old.state === "absent" && !ended && !domain.asks.some((ask) => ask.id === revokedId))
      throw new Failure("rotate-no-key", { name: oldName, selectors: knownSelectors(workspace, domain.name) });
    const { made, asks } = request.write ? await writeAsks(rotating) : { made: null, asks: [] };

    const recorded = journal.entries(domain.name, "key-switched").find((candidate) => candidate.to === to)?.at;
    if (request.switched && recorded === undefined) {
      if (fresh.state !== "usable" && !request.force)
        throw new Failure("switch-too-early", { selector: to, name: newName, because: fresh.remarks[0]?.because ?? NOTHING });
      journal.append(now, domain.name, { kind: "key-switched", from, to });
    }
    const switched = recorded ?? (request.switched ? now : undefined);
    const unseen = `zandrel-no-such-name.${domain.name}` as DomainName;
    const cacheWindow = cacheWindowOf(await liveAt(lookup, domain.name, unseen, "TXT"))?.seconds ?? DAY;
    const published = publishedAt(rotating, newName) ?? now - cacheWindow * 1000;
    const revoked = publishedAt(rotating, oldName, ({ after }) => after?.data.some(isEmptyKey) === true) ?? now;
    const steps = rotationPlan({
      oldSelector: from,
      newSelector: to,
      now,
      cacheWindow,
      transit: request.transit === undefined ? TRANSIT : request.transit / 1000,
      ...(fresh.state === "absent" ? {} : { published }),
      ...(switched === undefined ? {} : { switched }),
      ...(isRevoked(old) ? { revoked } : {}),
      removed: old.state === "absent",
    });
    if (request.revoke) {
      const due = steps.find((step) => step.kind === "revoke");
      if (due?.state === "later" && !request.force) {
        const until = switched === undefined ? undefined : due.from;
        throw new Failure("revoke-too-early", { selector: from, until, now });
      }
      await revokeOld(rotating);
    }
    const commands = commandsOf(rotating, made !== null);
    const told = steps.map((step) => ({ ...step, command: commands[step.kind] }));
    return { ended: "fine", result: { at: now, domain: domain.name, from, to, steps: told, made, asks } };
  });
}

/** Whether a record is a key that was taken back (RFC 6376 section 3.6.1, an empty p=). */
const isEmptyKey = (data: RecordData): boolean => {
  const text = txtValue(data as DataOf["TXT"]);
  return readKeyRecord([decodeUtf8(text)]).problem?.kind === "revoked";
};
