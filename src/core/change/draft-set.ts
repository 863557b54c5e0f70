import { isMet } from "../ask/index.ts";
import { allOf, listOf } from "../english.ts";
import { type Live, liveAt, ownSetOf } from "../lookup/index.ts";
import { type DomainName, displayName, isAtOrBelow, isBelow, parentOf, ROOT } from "../name/index.ts";
import {
  containsAll,
  type DataOf,
  type RecordData,
  type RecordSet,
  type RecordType,
  sameData,
  withData,
} from "../record/index.ts";
import { spanText } from "../spread/index.ts";
import { breaksWithout, shown } from "./breaks.ts";
import { type ClashKind, hazardOf } from "./clash.ts";
import { type Change, cacheWindowPart, type Drafting } from "./drafting.ts";
import { holds, pick, type Wanted } from "./gather.ts";
import { mergeTexts, type WantedTexts } from "./merge-texts.ts";

/** Types whose sets grow by what is asked; in all others the asked set takes the place of the old one. */
const SHARED: ReadonlySet<RecordType> = new Set(["TXT", "CAA"]);

/** The types that are looked at to see what an alias would push out (RFC 1034 section 3.6.2). */
const NEIGHBOURS: readonly RecordType[] = ["A", "AAAA", "MX", "TXT", "NS", "CAA", "SRV"];

/** One wanted set on its way through the draft. */
interface Step {
  readonly drafting: Drafting;
  readonly wanted: Wanted;
  /** What stands at exactly this name. */
  readonly live: Exclude<Live, { kind: "failed" }>;
  readonly before: RecordSet | undefined;
  /** Sets that make room. */
  readonly gone: Change[];
  /** Whether everything that is wanted is there already, so that what is said now contradicts it. */
  readonly met: boolean;
}

const replaceWay = (name: DomainName) =>
  `zandrel draft --replace ${displayName(name)} shows the draft with the old record replaced`;

/** Says that a wanted set cannot be published as it stands, for each ask that wants it. */
function clash(
  { drafting, wanted }: Pick<Step, "drafting" | "wanted">,
  kind: ClashKind,
  because: string,
  breaks: string,
  options: readonly string[],
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
      replaceable: options.some((option) => option.includes("--replace")),
      contradicts: met,
      ...(offending === undefined ? {} : { offending }),
    })),
  );
}

/** What is wrong with a wish before anybody looks at the zone; true where something is. */
function impossible(drafting: Drafting, wanted: Wanted): boolean {
  const { domain, needed } = drafting;
  const { name, type, set, asks } = wanted;
  const refuse = (kind: ClashKind, because: string, breaks: string, ...options: string[]) => {
    clash({ drafting, wanted }, kind, because, breaks, options);
    return true;
  };
  if (!isAtOrBelow(name, domain))
    return refuse(
      "outside-domain",
      `${displayName(name)} does not belong to ${displayName(domain)}`,
      "nothing",
      `save the ask for the domain that ${displayName(name)} belongs to`,
    );
  if (type === "CNAME" && name === domain)
    return refuse(
      "alias-at-apex",
      `an alias (CNAME) cannot stand at ${displayName(domain)} itself, because the zone's own records are there`,
      "the whole zone, mail included",
      "ask the service for its addresses (A and AAAA records) instead",
      `point www.${displayName(domain)} at the service and redirect the bare domain there`,
    );
  const others = needed.find((other) => other.name === name && other.type === type);
  const targets = type === "CNAME" && others !== undefined ? withData(set, others.set.data) : set;
  if (type === "CNAME" && targets.data.length > 1)
    return refuse(
      "asks-disagree",
      `${listOf([...asks, ...(others?.asks ?? [])])} want ${displayName(name)} to lead to different targets: ${shown(targets)}`,
      "nothing yet",
      "retire one of the asks, or ask one service for another name",
    );
  const beside = needed.find(
    (other) => other.name === name && other.type !== type && (other.type === "CNAME" || type === "CNAME"),
  );
  if (beside !== undefined)
    return refuse(
      "asks-disagree",
      `${listOf([...asks, ...beside.asks])} want an alias and other records at ${displayName(name)}; an alias stands alone`,
      "nothing yet",
      "ask one of the services for another name",
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
    if (live.answer.why === "delegated" && live.answer.delegation?.ns.name !== domain)
      clash({ drafting, wanted }, "below-zone-cut", `${live.answer.detail}, so it is not part of this zone`, "nothing", [
        "publish the record at the DNS host that serves that zone",
      ]);
    else undetermined.push({ name, type, because: live.answer.detail, asks });
    return;
  }
  if (live.kind === "dname") {
    const [{ target } = { target: live.dname.name }] = live.dname.data;
    const above = displayName(live.dname.name);
    clash(
      { drafting, wanted },
      "below-dname",
      `everything below ${above} is led to ${displayName(target)} (by a DNAME record), so that nothing can be published at ${displayName(name)}`,
      `every name below ${above}`,
      [`publish the record at ${displayName(live.set.data[0]?.target ?? target)}, or remove the DNAME record at ${above}`],
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
    wants.every((want) => isMet(answered, want))
  ) {
    drafting.changes.push({
      name,
      type,
      before: answered,
      after: answered,
      asks,
      action: "keep",
      because: `the wildcard ${displayName(live.wildcard)} answers with it`,
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
async function makeRoom(step: Step, other: RecordSet, kind: ClashKind, because: string): Promise<boolean> {
  const { drafting, wanted, gone, met } = step;
  const { name, type, asks } = wanted;
  const need = neededElsewhere(step, other);
  if (need !== undefined) {
    clash(
      step,
      "asks-disagree",
      `${because}; ${listOf(need.asks)} needs it`,
      await breaksWithout(other, drafting.domain, drafting.lookup),
      [`retire ${listOf(need.asks)}, or ask one of the services for another name`],
      met,
    );
    return false;
  }
  const told = toGo(step, other);
  if (!told && !drafting.replace.has(name)) {
    clash(
      step,
      kind,
      `${because}; it was put there by ${drafting.provenanceOf(other)}`,
      await breaksWithout(other, drafting.domain, drafting.lookup),
      [replaceWay(name)],
      met,
      other,
    );
    return false;
  }
  const how = told ? "as the service's page says" : `as --replace ${displayName(name)} says`;
  gone.push({
    action: "remove",
    name,
    type: other.type,
    before: other,
    after: undefined,
    because: `it makes room for the ${type} record of ${asks.join(", ")}, ${how}`,
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
    return makeRoom(
      step,
      live.set,
      "alias-in-the-way",
      `${displayName(name)} is an alias for ${shown(live.set)}, and nothing else may stand beside an alias`,
    );
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
        `${displayName(name)} has a ${other.type} record (${shown(other)}), and an alias cannot stand beside it`,
      ),
    );
  return !made.includes(false);
}

/** A set that is there keeps its TTL; a new one needs the asks to agree, or the user to say that the shortest will do. */
function disagreeOnTtl(step: Step): boolean {
  const { drafting, wanted, before } = step;
  const { name, type, asks, ttls } = wanted;
  if (before !== undefined || ttls.size < 2 || drafting.replace.has(name)) return false;
  const spans = [...ttls].sort((a, b) => a - b).map(spanText);
  clash(
    step,
    "ttl-disagrees",
    `${asks.join(" and ")} want different TTLs (${spans.join(", ")}) for the ${type} records of ${displayName(name)}, which share one`,
    "nothing yet",
    ["give the records the same TTL in the domain's file", `--replace ${displayName(name)} takes the shortest, ${spans[0]}`],
  );
  return true;
}

/** An address of the other kind that nobody asked for still leads part of the visitors to the old place, for as long as it is there. */
async function withoutLeftovers(step: Step): Promise<boolean> {
  const { drafting, wanted } = step;
  const { name, type, site } = wanted;
  if ((type !== "A" && type !== "AAAA") || !site) return true;
  const family = type === "A" ? "AAAA" : "A";
  if (drafting.needed.some((other) => other.name === name && other.type === family)) return true;
  const leftover = ownSetOf(await liveAt(drafting.lookup, drafting.domain, name, family));
  if (leftover === undefined) return true;
  return makeRoom(
    step,
    leftover,
    "leftover-address",
    `${displayName(name)} also has ${family === "AAAA" ? "an AAAA" : "an A"} record (${shown(leftover)}) that leads elsewhere, and some visitors would still arrive there`,
  );
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
    if (needed.some((other) => other.name === of && (other.type === "CNAME" || other.type === "A"))) continue;
    for (const kind of LEADING) {
      const live = await liveAt(lookup, domain, of, kind);
      if (live.kind !== "wildcard") continue;
      clash(
        step,
        "ends-wildcard",
        `${displayName(of)} has no record of its own, the wildcard ${displayName(live.wildcard)} answers for it (${shown(live.set)}), and a record at ${displayName(name)} ends that`,
        `whatever is reached at ${displayName(of)} today is no longer found`,
        [
          `add a record of its own for ${displayName(of)} first, with what the wildcard says`,
          `--replace ${displayName(name)} publishes it all the same`,
        ],
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
function reason({ wanted: { asks, set }, before, live }: Step, what: string): string {
  const keepsTtl = before !== undefined && before.ttl !== set.ttl ? `; the set keeps its TTL of ${spanText(before.ttl)}` : "";
  const wildcard = live.kind === "wildcard" ? `; until now the wildcard ${displayName(live.wildcard)} answers there` : "";
  return `${allOf(asks, "asks", "ask")} for it, ${what}${wildcard}${keepsTtl}`;
}

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
    changes.push({ name, type, before, after: before, asks, action: "keep", because: "it is already there" });
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
  if (before === undefined) {
    changes.push(...gone, { ...common, action: "add", after: set, because: reason(step, "and there is no record there yet") });
    return;
  }
  const others = SHARED.has(type) ? pick(before, () => false) : foreign(step, before);
  if (others.data.length === 0) {
    // What other asks want there stays beside it.
    if (containsAll(before, set))
      changes.push(...gone, { name, type, before, asks, action: "keep", after: before, because: "it is already there" });
    else
      changes.push(...gone, {
        ...common,
        action: "merge",
        after: withData(before, set.data),
        because: reason(step, "and existing values are kept"),
      });
    return;
  }
  const kept = pick(before, (data) => !holds(others, data));
  const after = withData({ ...kept, ttl: set.ttl }, set.data);
  const own = isOwn(others, asks);
  if (replace.has(name) || toGo(step, others) || own) {
    const why = own
      ? `as the new version of ${shown(others)}`
      : `in place of ${shown(others)} put there by ${provenanceOf(others)}`;
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
  const breaks = nullMx
    ? `${displayName(name)} starts to take mail`
    : await breaksWithout(others, drafting.domain, drafting.lookup);
  const because = nullMx
    ? `${displayName(name)} says that it takes no mail at all (null MX), put there by ${provenance}; it cannot stand beside a mail server`
    : met
      ? `${displayName(name)} has what is asked, and beside it ${type === "CNAME" ? "a second alias" : `another ${type} record`}, ${shown(others)}, put there by ${provenance}; ${type === "MX" ? "part of the mail still goes there" : "part of the visitors still arrive there"}`
      : `${displayName(name)} has another ${type} record already: ${shown(others)}, put there by ${provenance}`;
  clash(step, nullMx ? "null-mx" : met ? "leftover-value" : "other-value", because, breaks, [replaceWay(name)], met, others);
}
