import { asRecords, type DnsWant, type View, type Viewpoint } from "../ask/index.ts";
import { clause } from "../clause/index.ts";
import { type Answer, type Lookup, liveAt } from "../lookup/index.ts";
import { type DomainName, displayName, isBelow, parseName, relativeText, under } from "../name/index.ts";
import { containsAll, decodeUtf8, isOfType, type RecordSet, txtValue } from "../record/index.ts";
import { compareSerials } from "../zone/index.ts";
import type { Cause, CauseKind } from "./cause.ts";
import { diagnoseTarget } from "./diagnose-targets.ts";
import { diagnosePolicy, diagnoseValues, spoiltWords, targets, texts } from "./diagnose-texts.ts";
import { type Misplacement, placesOf, valueMistakes } from "./mistakes.ts";
import type { ValueMismatch } from "./value.ts";

/** Likeliest first: what the evidence proves comes before what it only suggests. */
const ORDER: readonly CauseKind[] = [
  "not-delegated",
  "some-servers-only",
  "below-zone-cut",
  "below-dname",
  "alias-in-the-way",
  "second-spf",
  "broken-spf",
  "second-dmarc",
  "second-key",
  "target-doubled",
  "target-is-url",
  "priorities-swapped",
  "name-doubled",
  "at-apex",
  "at-label",
  "wrong-type",
  "quoted-twice",
  "typographic",
  "white-space",
  "wrapped",
  "case-changed",
  "escaped",
  "html-entities",
  "percent-encoded",
  "token-of-another-service",
  "split-records",
  "cut",
  "extra-text",
  "other-zone",
  "wildcard-answers",
  "other-target",
  "other-value",
  "web-proof",
];

export interface DiagnoseRequest {
  readonly wanted: DnsWant;
  readonly apex: DomainName;
  /** What the viewpoints show of the wanted set. */
  readonly views: readonly View[];
  /** Who looked; asked for their serials where they disagree. */
  readonly viewpoints: readonly Viewpoint[];
  /** The domain as its delegated servers show it; undefined where it has none. */
  readonly lookup: Lookup | undefined;
  /** Labels under which people put things by mistake, such as the service's own name. */
  readonly labels: readonly string[];
  /** DNS hosts that the workspace names for this domain but the parent does not hand it to. */
  readonly undelegatedHosts: readonly { readonly title: string; readonly lookup: Lookup }[];
  /** Everything that is wanted of the domain: what stands where it is wanted was not misplaced. */
  readonly all?: readonly DnsWant[];
  /** The other domains of the workspace, where the record may have gone by mistake. */
  readonly siblings: readonly { readonly domain: DomainName; readonly lookup: Lookup }[];
}

function misplaced(kind: Misplacement, at: DomainName, apex: DomainName, wanted: DomainName): Cause {
  return {
    kind,
    at: displayName(at),
    because: clause("cause-misplaced", { kind, at, wanted }),
    remedy: clause("cause-misplaced-mend", { host: relativeText(wanted, apex) }),
  };
}

/** What people type into the host field by mistake: the service's name, the name of its token. */
function wordsFor({ wanted, labels }: DiagnoseRequest): string[] {
  const own = asRecords(wanted);
  const tokens = isOfType(own, "TXT")
    ? own.data.flatMap((data) => /^([a-z0-9][a-z0-9-]*)[=:]/i.exec(decodeUtf8(txtValue(data)))?.[1] ?? [])
    : [];
  return [...new Set([...labels, ...tokens.map((token) => token.toLowerCase())])].filter((word) => !/^v$/i.test(word));
}

/** Texts that are close to a wanted one, with what was done to them; nothing that is only similar, or that is wanted where it is. */
function spoiltAt(
  { wanted, all = [] }: DiagnoseRequest,
  name: DomainName,
  answer: Answer,
): { readonly value: string; readonly seen: string; readonly kinds: readonly ValueMismatch[] } | undefined {
  if (wanted.kind !== "records" || !isOfType(wanted, "TXT")) return undefined;
  const belong = new Set(textsWantedAt(all, name));
  for (const data of wanted.data) {
    const value = decodeUtf8(txtValue(data));
    for (const seen of texts(answer).filter((text) => !belong.has(text))) {
      const kinds = valueMistakes(value, seen);
      const isPiece = kinds.includes("cut") && seen.length < value.length * LEAST_PIECE;
      if (kinds.length > 0 && !kinds.includes("other-value") && !isPiece) return { value, seen, kinds };
    }
  }
  return undefined;
}

/** How much of a value has to be left for a piece of it to be known again at another name. */
const LEAST_PIECE = 0.6;

/** The record at another name, as it is wanted or spoilt; each place in the order of the mistakes, the likeliest first. */
async function diagnoseElsewhere(request: DiagnoseRequest, lookup: Lookup): Promise<Cause[]> {
  const { wanted, apex, all = [] } = request;
  const belongs = (name: DomainName): boolean =>
    all.some(
      (other) =>
        other.name === name && other.type === wanted.type && other.kind !== "absent" && matches(wanted, asRecords(other)),
    );
  const causes = await Promise.all(
    placesOf(wanted.name, apex, wordsFor(request)).map(async ({ name, kind }): Promise<Cause[]> => {
      if (belongs(name)) return [];
      const answer = await lookup.ask(name, wanted.type);
      if (answer.kind !== "found" || answer.chain.length > 0 || answer.wildcard !== undefined) return [];
      const place = misplaced(kind, name, apex, wanted.name);
      if (matches(wanted, answer.set)) return [place];
      const spoilt = spoiltAt(request, name, answer);
      if (spoilt === undefined) return [];
      const { value, seen, kinds } = spoilt;
      const [because] = spoiltWords(value, seen, kinds);
      return [
        {
          ...place,
          because: clause("cause-misplaced-spoilt", { at: name, wanted: wanted.name, because }),
          remedy: clause("cause-misplaced-spoilt-mend", { host: relativeText(wanted.name, apex), value }),
        },
      ];
    }),
  );
  return causes.flat();
}

/** The texts that are wanted at a name. */
const textsWantedAt = (all: readonly DnsWant[], name: DomainName): string[] =>
  all.flatMap((want) => {
    const set = want.kind === "records" && want.name === name ? asRecords(want) : undefined;
    return set !== undefined && isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))) : [];
  });

/** Texts that are wanted at other names and not here, by which one is recognised that was entered in the wrong place. */
function textsElsewhere({ wanted, all = [] }: DiagnoseRequest): { readonly name: DomainName; readonly text: string }[] {
  const here = new Set(textsWantedAt(all, wanted.name));
  const names = new Set(all.map(({ name }) => name));
  names.delete(wanted.name);
  return [...names].flatMap((name) => textsWantedAt(all, name).flatMap((text) => (here.has(text) ? [] : [{ name, text }])));
}

/** Whether a set elsewhere holds the wanted data. */
function matches(wanted: DnsWant, other: RecordSet): boolean {
  const own = asRecords(wanted);
  if (isOfType(own, "TXT") && isOfType(other, "TXT")) {
    const there = new Set(other.data.map(txtValue));
    return own.data.every((data) => there.has(txtValue(data)));
  }
  return containsAll(other, own);
}

async function diagnoseAlias(request: DiagnoseRequest, lookup: Lookup): Promise<Cause[]> {
  const { wanted, apex } = request;
  const at = displayName(wanted.name);
  const own = asRecords(wanted);
  if (isOfType(own, "CNAME")) {
    const target = own.data[0]?.target as DomainName;
    const found = diagnoseTarget(at, "CNAME", target, targets(await lookup.ask(wanted.name, "CNAME")), apex);
    if (found.length > 0) return found;
    const asText = texts(await lookup.ask(wanted.name, "TXT")).some((text) => {
      const parsed = parseName(text.trim());
      return parsed.ok && parsed.value === target;
    });
    return asText
      ? [
          {
            kind: "wrong-type",
            at,
            because: clause("cause-wrong-type", { target, at }),
            remedy: clause("cause-wrong-type-mend"),
          },
        ]
      : [];
  }
  if (isOfType(own, "MX")) {
    const answer = await lookup.ask(wanted.name, "MX");
    const seen = answer.kind === "found" && isOfType(answer.set, "MX") ? answer.set.data.map((data) => data.exchange) : [];
    const missing = own.data.find((data) => !seen.includes(data.exchange));
    if (missing !== undefined) return diagnoseTarget(at, "MX", missing.exchange, seen, apex);
    const there = answer.kind === "found" && isOfType(answer.set, "MX") ? answer.set.data : [];
    const swapped = own.data.filter(
      (data) => !there.some((one) => one.exchange === data.exchange && one.preference === data.preference),
    );
    if (swapped.length > 0)
      return [
        {
          kind: "priorities-swapped",
          at,
          because: clause("cause-priorities", { at, is: there.map(({ preference, exchange }) => ({ preference, exchange })) }),
          remedy: clause("cause-priorities-mend", {
            wanted: swapped.map(({ preference, exchange }) => ({ preference, exchange })),
          }),
        },
      ];
  }
  const answer = await lookup.ask(wanted.name, wanted.type);
  const [link] = answer.chain;
  if (link === undefined) return [];
  return [
    {
      kind: "alias-in-the-way",
      at,
      because: clause("cause-alias-in-the-way", { at, target: link.data[0]?.target as DomainName }),
      remedy: clause("cause-alias-in-the-way-mend"),
    },
  ];
}

/** Which of the servers have an older copy of the zone, by their serials (RFC 1982); empty where that does not explain it. */
async function behind(
  viewpoints: readonly Viewpoint[],
  apex: DomainName,
): Promise<{ older: readonly { name: string; serial: number }[]; newest: number } | undefined> {
  const serials = await Promise.all(
    viewpoints
      .filter((viewpoint) => viewpoint.role === "authoritative")
      .map(async ({ name, lookup }) => {
        const answer = await lookup.ask(apex, "SOA");
        return { name, serial: answer.kind === "found" && isOfType(answer.set, "SOA") ? answer.set.data[0]?.serial : undefined };
      }),
  );
  const known = serials.filter((one): one is { name: string; serial: number } => one.serial !== undefined);
  const newest = known.reduce<number | undefined>(
    (best, { serial }) => (best === undefined || (compareSerials(serial, best) ?? 0) > 0 ? serial : best),
    undefined,
  );
  const older = known.filter(({ serial }) => newest !== undefined && (compareSerials(serial, newest) ?? 0) < 0);
  return older.length === 0 || newest === undefined ? undefined : { older, newest };
}

/** A wildcard that answers for a name nothing was published at, and a name that another zone has taken over. */
async function diagnoseZone({ wanted, apex }: DiagnoseRequest, lookup: Lookup): Promise<Cause[]> {
  const at = displayName(wanted.name);
  const live = await liveAt(lookup, apex, wanted.name, wanted.type);
  if (live.kind === "wildcard")
    return [
      {
        kind: "wildcard-answers",
        at,
        because: clause("cause-wildcard-answers", { at, wildcard: live.wildcard }),
        remedy: clause("cause-wildcard-answers-mend", { at }),
      },
    ];
  if (live.kind === "dname") {
    const above = displayName(live.dname.name);
    const to = displayName(live.set.data[0]?.target ?? wanted.name);
    return [
      {
        kind: "below-dname",
        at,
        because: clause("cause-below-dname", { above, at, to }),
        remedy: clause("cause-below-dname-mend", { to, above }),
      },
    ];
  }
  if (live.kind === "failed" && live.answer.delegation !== undefined && live.answer.delegation.ns.name !== apex) {
    const cut = displayName(live.answer.delegation.ns.name);
    return [
      {
        kind: "below-zone-cut",
        at,
        because: clause("cause-below-zone-cut", { cut, at, apex }),
        remedy: clause("cause-below-zone-cut-mend", {
          cut,
          servers: live.answer.delegation.ns.data.map((data) => displayName(data.target)),
        }),
      },
    ];
  }
  return [];
}

/** Looks for the true cause why a wanted record is not found, likeliest first; empty where there is no trace of it. */
export async function diagnose(request: DiagnoseRequest): Promise<Cause[]> {
  const { wanted, views, viewpoints, lookup, undelegatedHosts, siblings, apex } = request;
  const causes: Cause[] = [];
  const authorities = views.filter((view) => view.role === "authoritative");
  const having = authorities.filter((view) => view.sees === "new");
  const lacking = authorities.filter((view) => view.sees === "old" || view.sees === "nothing");
  if (having.length > 0 && lacking.length > 0)
    causes.push({
      kind: "some-servers-only",
      at: lacking.map((view) => view.from).join(", "),
      because: clause("cause-some-servers-only", {
        having: having.map((view) => view.from),
        lacking: lacking.map((view) => view.from),
        behind: await behind(viewpoints, apex),
      }),
      remedy: clause("cause-some-servers-only-mend"),
    });
  if (having.length === 0 && lookup !== undefined) {
    const answer = await lookup.ask(wanted.name, wanted.type);
    const zone = await diagnoseZone(request, lookup);
    // Below a DNAME nothing that was entered counts, so that nothing else is the cause.
    if (zone.some(({ kind }) => kind === "below-dname")) return zone;
    // An alias that a wildcard makes stands at the wildcard.
    const isWild = zone.some(({ kind }) => kind === "wildcard-answers");
    const alias = (await diagnoseAlias(request, lookup)).filter(({ kind }) => !(isWild && kind === "alias-in-the-way"));
    causes.push(...alias, ...(await diagnoseElsewhere(request, lookup)), ...zone);
    causes.push(...diagnosePolicy(wanted, answer));
    // What a wildcard answers with was not entered for this.
    if (wanted.kind === "records" && isOfType(wanted, "TXT") && !isWild)
      causes.push(...diagnoseValues(wanted, answer, textsElsewhere(request)));
  }
  if (having.length === 0) {
    for (const { title, lookup: there } of undelegatedHosts) {
      const answer = await there.ask(wanted.name, wanted.type);
      if (answer.kind === "found" && answer.chain.length === 0 && matches(wanted, answer.set))
        causes.push({
          kind: "not-delegated",
          at: title,
          because: clause("cause-not-delegated", { title, apex }),
          remedy: clause("cause-not-delegated-mend", { apex }),
        });
    }
    await Promise.all(
      siblings.map(async ({ domain, lookup: there }) => {
        const name =
          wanted.name === apex
            ? domain
            : isBelow(wanted.name, apex)
              ? under(`${relativeText(wanted.name, apex)}.` as DomainName, domain)
              : undefined;
        const answer = name === undefined ? undefined : await there.ask(name, wanted.type);
        if (answer?.kind === "found" && answer.chain.length === 0 && matches(wanted, answer.set))
          causes.push({
            kind: "other-zone",
            at: displayName(name as DomainName),
            because: clause("cause-other-zone", { name: name as DomainName }),
            remedy: clause("cause-other-zone-mend", { name: wanted.name }),
          });
      }),
    );
  }
  return causes.sort((a, b) => ORDER.indexOf(a.kind) - ORDER.indexOf(b.kind));
}
