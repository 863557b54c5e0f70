import { isMet } from "../ask/index.ts";
import { type Clause, clause } from "../clause/index.ts";
import { type Live, liveAt, ownSetOf } from "../lookup/index.ts";
import { type DomainName, displayName, isAtOrBelow, isBelow, parentOf, ROOT } from "../name/index.ts";
import {
  containsAll,
  type DataOf,
  isOfType,
  type RecordData,
  type RecordSet,
  type RecordType,
  sameData,
  withData,
} from "../record/index.ts";
import { issuersAbove, judgeIssuers, leadsElsewhere } from "./beside.ts";
import { breaksWithout, shown } from "./breaks.ts";
import { type ClashKind, hazardOf } from "./clash.ts";
import { type Change, cacheWindowPart, type Drafting } from "./drafting.ts";
import { holds, pick, type Wanted } from "./gather.ts";
import { mergeTexts, type WantedTexts } from "./merge-texts.ts";

/** Types whose sets grow by what is asked; in all others the asked set takes the place of the old one. */
const SHARED: ReadonlySet<RecordType> = new Set(["TXT", "CAA"]);

/** The types that are looked at to see what an alias would push out (RFC 1034 section 3.6.2). */
const NEIGHBOURS: readonly RecordType[] = ["A", "AAAA", "MX", "TXT", "NS", "CAA", "SRV", "HTTPS", "SVCB", "TLSA"];

/** One wanted set on its way through the draft. */
interface Step {
  readonly drafting: Drafting;
  readonly wanted: Wanted;
  /** What is at exactly this name. */
  readonly live: Exclude<Live, { kind: "failed" }>;
  readonly before: RecordSet | undefined;
  /** Sets that make room. */
  readonly gone: Change[];
  /** Whether everything that is wanted is there already, so that what is said now contradicts it. */
  readonly met: boolean;
}

const replaceWay = (name: DomainName): Clause => clause("change-replace-shows", { name });

/** Says that a wanted set cannot be published as it stands, for each ask that wants it. */
function clash(
  { drafting, wanted }: Pick<Step, "drafting" | "wanted">,
  kind: ClashKind,
  because: Clause,
  breaks: Clause,
  options: readonly Clause[],
  met = false,
  offending?: RecordSet,
): void {
  const { name, type, asks } = wanted;
  drafting.clashes.push(
    ...asks.map((ask) => ({
      kind,
      name,
      type,
      ask,
      because,
      breaks,
      options,
      replaceable: options.some((option) => option.clause.startsWith("change-replace")),
      contradicts: met,
      ...(offending === undefined ? {} : { offending }),
    })),
  );
}

/** What is wrong with a wish before anybody looks at the zone; true where something is. */
function impossible(drafting: Drafting, wanted: Wanted): boolean {
  const { domain, needed } = drafting;
  const { name, type, set, asks } = wanted;
  const refuse = (kind: ClashKind, because: Clause, breaks: Clause, ...options: Clause[]) => {
    clash({ drafting, wanted }, kind, because, breaks, options);
    return true;
  };
  if (!isAtOrBelow(name, domain))
    return refuse(
      "outside-domain",
      clause("change-outside-domain", { name, domain }),
      clause("change-breaks-nothing"),
      clause("change-outside-domain-mend", { name }),
    );
  if (type === "CNAME" && name === domain)
    return refuse(
      "alias-at-apex",
      clause("change-alias-at-apex", { domain }),
      clause("change-alias-at-apex-breaks"),
      clause("change-alias-at-apex-addresses"),
      clause("change-alias-at-apex-redirect", { domain }),
    );
  const others = needed.find((other) => other.name === name && other.type === type);
  const targets = type === "CNAME" && others !== undefined ? withData(set, others.set.data) : set;
  if (type === "CNAME" && targets.data.length > 1)
    return refuse(
      "asks-disagree",
      clause("change-targets-differ", { asks: [...asks, ...(others?.asks ?? [])], name, targets: shown(targets) }),
      clause("change-breaks-nothing-yet"),
      clause("change-retire-or-other-name"),
    );
  const beside = needed.find(
    (other) => other.name === name && other.type !== type && (other.type === "CNAME" || type === "CNAME"),
  );
  if (beside !== undefined)
    return refuse(
      "asks-disagree",
      clause("change-alias-and-others", { asks: [...asks, ...beside.asks], name }),
      clause("change-breaks-nothing-yet"),
      clause("change-other-name"),
    );
  return false;
}

/** Looks at one wanted set and says what has to change for it, or what is in its way. */
export async function draftSet(drafting: Drafting, wanted: Wanted): Promise<void> {
  const { domain, lookup, everywhere, replace, undetermined } = drafting;
  const { name, type, set, wants, asks } = wanted;
  if (impossible(drafting, wanted)) return;
  const live = await liveAt(lookup, domain, name, type);
  if (live.kind === "failed") {
    const cut = live.answer.why === "delegated" ? live.answer.delegation?.ns : undefined;
    if (live.answer.why === "delegated" && cut?.name !== domain)
      clash(
        { drafting, wanted },
        "below-zone-cut",
        cut === undefined
          ? clause("change-below-zone-cut", { detail: live.answer.detail })
          : clause("change-put-there", {
              because: clause("change-below-zone-cut", { detail: live.answer.detail }),
              by: drafting.provenanceOf(cut),
            }),
        clause("change-breaks-nothing"),
        [clause("change-publish-there")],
      );
    else undetermined.push({ name, type, because: live.answer.detail, asks });
    return;
  }
  if (live.kind === "dname") {
    const [{ target } = { target: live.dname.name }] = live.dname.data;
    const above = displayName(live.dname.name);
    clash(
      { drafting, wanted },
      "below-dname",
      clause("change-below-dname", { above, target, name }),
      clause("change-below-dname-breaks", { above }),
      [clause("change-below-dname-mend", { to: live.set.data[0]?.target ?? target, above })],
    );
    return;
  }
  // A wildcard that answers with all of it does what is asked; a record of its own would only repeat it.
  const answered = live.kind === "wildcard" || live.kind === "alias" ? live.set : undefined;
  const before = ownSetOf(live);
  if (
    live.kind === "wildcard" &&
    answered !== undefined &&
    answered.type === type &&
    wants.every((want) => isMet(answered, want)) &&
    !(await endsWildcard(drafting, wanted))
  ) {
    drafting.changes.push({
      name,
      type,
      before: answered,
      after: answered,
      asks,
      action: "keep",
      because: clause("change-wildcard-has-it", { wildcard: live.wildcard }),
    });
    return;
  }
  const met = before !== undefined && wants.every((want) => isMet(before, want));
  const step: Step = { drafting, wanted, live, before, gone: [], met };
  if (!(await roomFor(step))) return;
  const hazard = await hazardOf(set, everywhere);
  if (hazard !== undefined && !(hazard.kind === "wildcard-answers" && replace.has(name))) {
    clash(step, hazard.kind, hazard.because, hazard.breaks, hazard.options, met);
    return;
  }
  if (disagreeOnTtl(step) || !(await withoutLeftovers(step)) || !(await keepsWildcard(step))) return;
  await (type === "TXT" ? draftTexts(step) : draftRecords(step));
}

/**
 * Whether another wanted record at a name, or below it, takes it out of the wildcard that answers there until now (RFC 4592 section
 * 2.2.1): what the wildcard does for it needs a record of its own then.
 */
async function endsWildcard({ domain, lookup, gathered }: Drafting, { name, type }: Wanted): Promise<boolean> {
  const own = gathered.filter((other) => isAtOrBelow(other.name, name) && (other.name !== name || other.type !== type));
  const made = await Promise.all(
    own.map(async (other) => {
      const live = await liveAt(lookup, domain, other.name, other.type);
      return !(live.kind === "wildcard" && other.wants.every((want) => isMet(live.set, want)));
    }),
  );
  return made.includes(true);
}

/** What other asks need of a set that would go; the ask and what it needs. */
const neededElsewhere = ({ drafting, wanted }: Step, other: RecordSet): Wanted | undefined =>
  drafting.needed.find(
    (need) =>
      need.name === other.name &&
      need.type === other.type &&
      need.asks.some((id) => !wanted.asks.includes(id)) &&
      need.wants.some((want) => isMet(other, want)),
  );

/** Whether a page told to remove all of a set. */
const toGo = ({ drafting }: Step, other: RecordSet): boolean =>
  drafting.unwanted.some(
    ({ set }) => set.name === other.name && set.type === other.type && other.data.every((data) => holds(set, data)),
  );

/** Takes a set away that is in the way, where that was said; otherwise says that it is. */
async function makeRoom(step: Step, other: RecordSet, kind: ClashKind, because: Clause): Promise<boolean> {
  const { drafting, wanted, gone, met } = step;
  const { name, type, asks } = wanted;
  const need = neededElsewhere(step, other);
  if (need !== undefined) {
    clash(
      step,
      "asks-disagree",
      clause("change-needed-elsewhere", { because, asks: need.asks }),
      await breaksWithout(other, drafting.domain, drafting.lookup),
      [clause("change-retire-other", { asks: need.asks })],
      met,
    );
    return false;
  }
  const told = toGo(step, other);
  if (!told && !drafting.replace.has(name)) {
    clash(
      step,
      kind,
      clause("change-put-there", { because, by: drafting.provenanceOf(other) }),
      await breaksWithout(other, drafting.domain, drafting.lookup),
      [replaceWay(name)],
      met,
      other,
    );
    return false;
  }
  gone.push({
    action: "remove",
    name,
    type: other.type,
    before: other,
    after: undefined,
    because: clause("change-makes-room", { type, asks, replacing: told ? undefined : name }),
    asks,
    ...cacheWindowPart({ kind: "set", set: other }),
  });
  return true;
}

/** Makes room where an alias is on one side: it stands alone (RFC 1034 section 3.6.2). */
async function roomFor(step: Step): Promise<boolean> {
  const { drafting, wanted, live } = step;
  const { domain, lookup, undetermined } = drafting;
  const { name, type, asks } = wanted;
  if (live.kind === "alias")
    return makeRoom(step, live.set, "alias-in-the-way", clause("change-alias-in-the-way", { name, set: shown(live.set) }));
  if (type !== "CNAME") return true;
  const neighbours = await Promise.all(NEIGHBOURS.map((other) => liveAt(lookup, domain, name, other)));
  const unseen = neighbours.find((other) => other.kind === "failed" && other.answer.chain.length === 0);
  if (unseen?.kind === "failed") {
    undetermined.push({ name, type, because: unseen.answer.detail, asks });
    return false;
  }
  const inTheWay = neighbours.map(ownSetOf).filter((other) => other !== undefined);
  const made: boolean[] = [];
  for (const other of inTheWay)
    made.push(
      await makeRoom(
        step,
        other,
        "alias-beside-data",
        clause("change-alias-beside-data", { name, type: other.type, other: shown(other) }),
      ),
    );
  return !made.includes(false);
}

/** A set that is there keeps its TTL; a new one needs the asks to agree, or the user to say that the shortest will do. */
function disagreeOnTtl(step: Step): boolean {
  const { drafting, wanted, before } = step;
  const { name, type, asks, ttls } = wanted;
  if (before !== undefined || ttls.size < 2 || drafting.replace.has(name)) return false;
  const sorted = [...ttls].sort((a, b) => a - b);
  clash(
    step,
    "ttl-disagrees",
    clause("change-ttls-differ", { asks, ttls: sorted, type, name }),
    clause("change-breaks-nothing-yet"),
    [clause("change-same-ttl"), clause("change-replace-ttl", { name, ttl: sorted[0] ?? 0 })],
  );
  return true;
}

/** The set of another type at the wanted name; where it could not be asked about, that is noted. */
async function ownSetSeen({ drafting, wanted }: Step, type: RecordType): Promise<RecordSet | undefined | "unseen"> {
  const live = await liveAt(drafting.lookup, drafting.domain, wanted.name, type);
  if (live.kind !== "failed") return ownSetOf(live);
  drafting.undetermined.push({ name: wanted.name, type, because: live.answer.detail, asks: wanted.asks });
  return "unseen";
}

/** An address of the other kind that nobody asked for still leads part of the visitors to the old place, for as long as it is there. */
async function withoutLeftovers(step: Step): Promise<boolean> {
  const { drafting, wanted } = step;
  const { name, type, site } = wanted;
  if ((type !== "A" && type !== "AAAA") || !site) return true;
  const family = type === "A" ? "AAAA" : "A";
  if (!(await ledByAddresses(step))) return false;
  if (drafting.needed.some((other) => other.name === name && other.type === family)) return true;
  const leftover = await ownSetSeen(step, family);
  if (leftover === "unseen") return false;
  if (leftover === undefined) return true;
  return makeRoom(
    step,
    leftover,
    "leftover-address",
    clause("change-leftover-address", { name, family, addresses: shown(leftover) }),
  );
}

/** Browsers follow a service binding before they look at addresses: one that was made for the old place leads there still. */
async function ledByAddresses(step: Step): Promise<boolean> {
  const { drafting, wanted } = step;
  const { name } = wanted;
  const addresses = drafting.needed
    .filter((other) => other.name === name && (other.type === "A" || other.type === "AAAA"))
    .flatMap(({ set }) => (set.data as readonly DataOf["A"][]).map(({ address }) => address));
  const there = await ownSetSeen(step, "HTTPS");
  if (there === "unseen") return false;
  if (there === undefined || !isOfType(there, "HTTPS") || !leadsElsewhere(there, name, addresses)) return true;
  if (step.gone.some((change) => change.type === "HTTPS")) return true;
  return makeRoom(step, there, "leads-elsewhere", clause("change-leads-elsewhere", { name, set: shown(there) }));
}

/** What it means that nothing stands at a name yet: a first CAA record shuts out whoever it does not name (RFC 8659 section 3). */
async function noneThere({ drafting: { domain, lookup }, wanted: { name, set } }: Step): Promise<Clause> {
  if (!isOfType(set, "CAA") || !set.data.some(({ tag }) => tag === "issue")) return clause("change-none-there");
  const above = await issuersAbove(name, lookup, domain);
  return above === undefined ? clause("change-first-issuer") : clause("change-nearer-issuer", { name, above });
}

/** A name nearer to a site than the one that is asked for may have CAA records of its own, which count there alone. */
async function letsIssue(step: Step, after: RecordSet): Promise<boolean> {
  const { drafting, wanted, met } = step;
  const { domain, lookup, needed, replace } = drafting;
  const { name } = wanted;
  if (replace.has(name)) return true;
  const verdict = await judgeIssuers(wanted, after, needed, lookup, domain);
  if (verdict.kind === "allowed") return true;
  if (verdict.kind === "unknown") {
    drafting.undetermined.push({ name, type: wanted.type, because: verdict.because, asks: wanted.asks });
    return false;
  }
  const { at, issuer } = verdict;
  clash(
    step,
    "issuer-forbidden",
    clause("change-issuer-forbidden", { name, at, issuer }),
    clause("change-issuer-forbidden-breaks", { at, issuer }),
    [clause("change-issuer-forbidden-mend", { name, at, issuer }), clause("change-replace-all-the-same", { name })],
    met,
  );
  return false;
}

/** The types by which a wildcard leads visitors and mail somewhere. */
const LEADING: readonly RecordType[] = ["A", "AAAA", "MX"];

/**
 * A record of its own ends what a wildcard answers for a name and for the names between (RFC 4592 section 2.2): a token at
 * `_pw.shop` takes `shop` out of the wildcard, and its site is gone.
 */
async function keepsWildcard(step: Step): Promise<boolean> {
  const { drafting, wanted, before } = step;
  const { domain, lookup, replace, needed } = drafting;
  const { name, type } = wanted;
  if (before !== undefined || replace.has(name) || name === domain) return true;
  const own = name.startsWith("_") || name.startsWith("*.") || type === "CNAME" || LEADING.includes(type) ? [] : [name];
  const between: DomainName[] = [];
  for (let above = parentOf(name); isBelow(above, domain); above = parentOf(above))
    if (!above.startsWith("_")) between.push(above);
  for (const of of [...own, ...between]) {
    const there = needed.filter((other) => other.name === of).map((other) => other.type);
    for (const kind of LEADING) {
      // Who asks for an address there, or an alias, says where visitors are led.
      if (there.includes("CNAME") || there.includes(kind) || (kind !== "MX" && there.includes("A"))) continue;
      const live = await liveAt(lookup, domain, of, kind);
      if (live.kind !== "wildcard") continue;
      clash(
        step,
        "ends-wildcard",
        clause("change-ends-wildcard", { of, wildcard: live.wildcard, set: shown(live.set), name }),
        clause("change-ends-wildcard-breaks", { of }),
        [clause("change-ends-wildcard-mend", { of }), clause("change-replace-all-the-same", { name })],
      );
      return false;
    }
  }
  return true;
}

const textsWanted = ({ name, set, wants }: Wanted): WantedTexts => ({
  name,
  ttl: set.ttl,
  literal: wants.filter((want) => want.kind === "records"),
  spf: wants.filter((want) => want.kind === "spf-terms"),
  dmarc: wants.filter((want) => want.kind === "dmarc-minimum"),
});

/** The reason of a change: who asks, and what becomes of what is there. */
const reason = ({ wanted: { asks, set }, before, live }: Step, what: Clause): Clause =>
  clause("change-asked", {
    ...{ asks, what },
    wildcard: live.kind === "wildcard" ? live.wildcard : undefined,
    keepsTtl: before !== undefined && before.ttl !== set.ttl ? before.ttl : undefined,
  });

/** Texts are brought into the texts that are there. */
async function draftTexts(step: Step): Promise<void> {
  const { drafting, wanted, live, before, gone, met } = step;
  const { domain, everywhere, replace, changes, isOwn } = drafting;
  const { name, type, asks } = wanted;
  const merged = await mergeTexts(before, textsWanted(wanted), {
    domain,
    world: everywhere,
    mayReplace: (text) =>
      replace.has(name) ||
      (before !== undefined &&
        isOwn(
          pick(before, (data) => "strings" in data && data.strings.join("") === text),
          asks,
        )),
  });
  if ("clash" in merged) {
    const { kind, because, breaks, options, replaceable } = merged.clash;
    clash(step, kind, because, breaks, [...options, ...(replaceable ? [replaceWay(name)] : [])], met);
    return;
  }
  const { after, because } = merged;
  if (before !== undefined && sameData(before, after)) {
    changes.push({ name, type, before, after: before, asks, action: "keep", because: clause("change-already-there") });
    return;
  }
  const action = before === undefined ? "add" : merged.replaced ? "replace" : "merge";
  changes.push(...gone, { name, type, before, after, asks, action, because: reason(step, because), ...cacheWindowPart(live) });
}

/** What of a set no ask of the domain wants. */
const foreign = ({ drafting, wanted }: Step, before: RecordSet): RecordSet => {
  const needed = drafting.needed.filter((other) => other.name === wanted.name && other.type === wanted.type);
  return pick(before, (data: RecordData) => !needed.some((other) => holds(other.set, data)));
};

/** Records to the letter: added beside what may stay, in place of what was said to go. */
async function draftRecords(step: Step): Promise<void> {
  const { drafting, wanted, live, before, gone, met } = step;
  const { changes, replace, isOwn, provenanceOf } = drafting;
  const { name, type, set, asks } = wanted;
  const common = { name, type, before, asks, ...cacheWindowPart(live) };
  if (type === "CAA" && !(await letsIssue(step, before === undefined ? set : withData(before, set.data)))) return;
  if (before === undefined) {
    changes.push(...gone, { ...common, action: "add", after: set, because: reason(step, await noneThere(step)) });
    return;
  }
  const others = SHARED.has(type) ? pick(before, () => false) : foreign(step, before);
  if (others.data.length === 0) {
    // What other asks want there stays beside it.
    if (containsAll(before, set))
      changes.push(...gone, { name, type, before, asks, action: "keep", after: before, because: clause("change-already-there") });
    else
      changes.push(...gone, {
        ...common,
        action: "merge",
        after: withData(before, set.data),
        because: reason(step, clause("change-values-kept")),
      });
    return;
  }
  const kept = pick(before, (data) => !holds(others, data));
  const after = withData({ ...kept, ttl: set.ttl }, set.data);
  const own = isOwn(others, asks);
  if (replace.has(name) || toGo(step, others) || own) {
    const why = own
      ? clause("change-new-version", { of: shown(others) })
      : clause("change-in-place", { of: shown(others), by: provenanceOf(others) });
    changes.push(...gone, {
      ...common,
      action: "replace",
      after,
      because: reason({ ...step, before: undefined }, why),
    });
    return;
  }
  const nullMx = type === "MX" && before.data.some((data) => (data as DataOf["MX"]).exchange === ROOT);
  const provenance = provenanceOf(others);
  const breaks = nullMx ? clause("change-starts-mail", { name }) : await breaksWithout(others, drafting.domain, drafting.lookup);
  const because = nullMx
    ? clause("change-null-mx", { name, by: provenance })
    : met
      ? clause("change-leftover-value", { name, type, others: shown(others), by: provenance })
      : clause("change-other-value", { name, type, others: shown(others), by: provenance });
  clash(step, nullMx ? "null-mx" : met ? "leftover-value" : "other-value", because, breaks, [replaceWay(name)], met, others);
}
