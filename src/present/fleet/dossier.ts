import type { Dossier, DossierDomain, DossierJson } from "../../app/fleet/dossier.ts";
import { DAY_MS } from "../../core/day.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { sayFinding, sayRight, titleOfRule } from "../audit/findings.ts";
import { inWords } from "../clauses/index.ts";
import { type Block, htmlOf, markdownOf } from "../document.ts";
import { listOf } from "../english.ts";
import { historySentence } from "../history/history.ts";
import { count, type Layout, moment, STATE_MARK, sentence, visible, wrap, YOUR_HOST } from "../index.ts";
import { hardTermsIn } from "../legend.ts";
import { page } from "../page.ts";
import { byOrigin, byVerdict } from "../reports/source-charts.ts";
import { percent, WHY } from "../reports/sources.ts";
import { sourcesLead } from "../reports/sources-page.ts";
import { sourceLabel } from "../source-names.ts";
import { spfFigure, spreadFigure } from "./dossier-charts.ts";

const RIGHT: ReadonlySet<string> = new Set(["proven", "settled"]);
/** Rows of tables that a reader goes through; what is beyond them is in the JSON. */
const MAX_SOURCES = 40;
const MAX_EVENTS = 60;

const day = (at: number | null): string => (at === null ? "–" : new Date(at).toISOString().slice(0, 10));
const step = (next: string): string => (next.startsWith("zandrel ") ? `\`${next}\`` : next);

/** Who mends what is wrong in an area. */
const ownerOf = (area: string, host: string): string =>
  area === "delegation"
    ? `the registrar, or ${host}`
    : area === "site" || area === "certificate"
      ? "the site builder"
      : `you, at ${host}`;

/** Where everything stands, in one sentence. */
export function headlineOf({ asks, findings, sources, unresolved }: DossierDomain): {
  text: string;
  tone: "ok" | "warn" | "bad";
} {
  const unseen = asks.filter(({ state }) => state === "unknown").length;
  const open = asks.filter(({ state }) => !RIGHT.has(state)).length - unseen;
  const broken = findings.filter(({ severity }) => severity === "breaks").length;
  const risky = findings.filter(({ severity }) => severity === "risks").length;
  const ours = sources?.sources.filter((candidate) => candidate.ours) ?? [];
  const [messages, aligned] = [ours.reduce((sum, one) => sum + one.messages, 0), ours.reduce((sum, one) => sum + one.aligned, 0)];
  const ofAll = (some: number) =>
    some === asks.length
      ? `${some === 1 ? "the one ask" : `all ${some} asks`} of services`
      : `${some} of ${asks.length} asks of services`;
  const be = (some: number) => (some === 1 ? "is" : "are");
  const parts = [
    ...(asks.length === 0 ? ["no service has asked for anything yet"] : []),
    ...(asks.length > 0 && open + unseen === 0
      ? [`${ofAll(asks.length)} ${be(asks.length)} where ${asks.length === 1 ? "it" : "they"} should be`]
      : []),
    ...(open === 0 ? [] : [`${ofAll(open)} ${be(open)} not where ${open === 1 ? "it" : "they"} should be yet`]),
    ...(unseen === 0 ? [] : [`${ofAll(unseen)} could not be looked at`]),
    broken + risky === 0
      ? "nothing needs fixing soon"
      : listOf([
          ...(broken > 0 ? [`${count(broken, "thing")} ${broken === 1 ? "is" : "are"} broken`] : []),
          ...(risky > 0 ? [`${count(risky, "thing")} ${risky === 1 ? "is" : "are"} at risk`] : []),
        ]),
    ...(messages < 10 ? [] : [`${percent(aligned, messages)} of the mail of your services is proven to be yours`]),
    ...(unresolved.length === 0 ? [] : ["not everything could be asked"]),
  ];
  const tone = broken > 0 ? "bad" : open + unseen + risky + unresolved.length > 0 ? "warn" : "ok";
  return { text: sentence(parts.join("; ")), tone };
}

/** The same in words. */
export const dossierJson = (made: Dossier): DossierJson => ({
  ...made,
  domains: made.domains.map(({ right, findings, ...one }) => ({
    ...one,
    right: right.map(sayRight),
    findings: findings.map(sayFinding),
  })),
});

/** What is otherwise than in the last dossier. */
function sinceBlocks({ since }: DossierDomain): Block[] {
  if (since === null)
    return [{ text: "This is the first dossier of the domain; the next one says what changed.", tone: "quiet" }];
  const items = [
    ...since.fixed.map((id) => ({ text: `Mended: ${titleOfRule(id)}.`, tone: "ok" as const })),
    ...since.fresh.map((id) => ({ text: `New: ${titleOfRule(id)}.`, tone: "bad" as const })),
    ...since.states.map(({ ask, was, is }) => ({
      text: was === "" ? `The ask ${ask} is new, and ${is}.` : `The ask ${ask} was ${was}, and is ${is}.`,
    })),
  ];
  return items.length === 0
    ? [{ text: `Nothing differs from the dossier of ${day(since.at)}.` }]
    : [{ text: `Since the dossier of ${day(since.at)}:` }, { items }];
}

function askBlocks({ asks }: DossierDomain): Block[] {
  if (asks.length === 0) return [{ text: "No service has asked for anything yet. Next: `zandrel intake`" }];
  return [
    {
      table: {
        head: ["Service", "For", "State", "Saved", "Published", "Proven", "What it means"],
        rows: [...asks]
          .sort((a, b) => a.title.localeCompare(b.title))
          .map((one) => [
            one.title,
            one.purpose,
            `${STATE_MARK[one.state]}\u00a0${one.state}`,
            ...[day(one.asked), day(one.published), day(one.proven)],
            `${sentence(inWords(one.because))}${one.next.clause === "nothing" ? "" : ` Next: ${step(inWords(one.next))}`}`,
          ]),
        numbers: [3, 4, 5],
      },
    },
  ];
}

function mendBlocks({ findings, unresolved, host }: DossierDomain): Block[] {
  // The same thing at several names is one row.
  const wrong = findings.filter(({ severity }) => severity !== "note").map(sayFinding);
  const same = (saidFinding: (typeof wrong)[number], other: typeof saidFinding) =>
    saidFinding.id === other.id && saidFinding.remedy === other.remedy;
  const mend = wrong
    .filter((saidFinding, i) => wrong.findIndex((other) => same(saidFinding, other)) === i)
    .map((saidFinding) => ({
      ...saidFinding,
      evidence: wrong
        .filter((other) => same(saidFinding, other))
        .map(({ evidence }) => evidence)
        .join("; "),
    }));
  return [
    ...(mend.length === 0
      ? [
          unresolved.length === 0
            ? ({ text: "Nothing needs fixing.", tone: "ok" } as const)
            : ({ text: "Nothing was found that has to be mended.", tone: "quiet" } as const),
        ]
      : mend.map(
          (one): Block => ({
            ...{
              entry: one.title,
              mark: one.severity,
              tone: one.severity === "breaks" ? "bad" : one.severity === "risks" ? "warn" : "quiet",
            },
            fields: [
              ["Seen", sentence(one.evidence)],
              ["Why it matters", sentence(one.why)],
              ["What to do", sentence(one.remedy)],
              ["Who", sentence(ownerOf(one.area, host ?? YOUR_HOST))],
            ],
          }),
        )),
    ...(unresolved.length === 0
      ? []
      : [
          {
            text: `Could not be asked, so that something may be missing here: ${unresolved.slice(0, 8).map(inWords).join(", ")}${unresolved.length > 8 ? ` and ${unresolved.length - 8} more` : ""}.`,
            tone: "warn",
          } as const,
        ]),
  ];
}

function spfBlocks({ spf, domain }: DossierDomain): Block[] {
  if (spf === null) return [{ text: "The SPF record could not be asked for." }];
  if (spf.problem !== null || spf.record === null)
    return [
      {
        text: `${sentence(spf.problem === null ? "there is no SPF record" : inWords(spf.problem))} Receivers cannot tell who may send.`,
        tone: "warn",
      },
    ];
  return [
    {
      text: `The SPF record lets ${spf.everybody ? "everybody" : `${spf.addresses.ipv4.toLocaleString("en")} IPv4 ${spf.addresses.ipv4 === 1 ? "address" : "addresses"}`} send, and costs ${spf.lookups} of ${spf.limit} lookups.`,
      tone: spf.lookups > spf.limit || spf.everybody ? "bad" : "ok",
    },
    {
      figure: spfFigure(spf, displayName(domain)),
      says: `The SPF record as a tree: ${spf.branches.length} terms, with the lookups each costs`,
    },
    {
      table: {
        head: ["Term", "Lookups", "What it means"],
        rows: spf.branches.map((branch) => [
          `${"– ".repeat(branch.depth)}${branch.text}`,
          String(branch.lookups),
          sentence(
            [
              inWords(branch.words),
              ...(branch.problem === null ? [] : [inWords(branch.problem)]),
              ...branch.risks.map(({ because }) => inWords(because)),
              ...(branch.ineffective === null ? [] : [inWords(branch.ineffective.because)]),
            ].join("; "),
          ),
        ]),
        numbers: [1],
      },
    },
  ];
}

function keyBlocks({ keys, keysUnknown }: DossierDomain, now: number): Block[] {
  if (keys.length === 0)
    return [
      keysUnknown > 0
        ? { text: "Which keys are published could not be asked.", tone: "warn" }
        : { text: "No DKIM key is known; mail is not signed as far as can be seen.", tone: "warn" },
    ];
  const age = (since: number | null) =>
    since === null ? "not known" : `${day(since)} (${count(Math.floor((now - since) / DAY_MS), "day")})`;
  return [
    {
      table: {
        head: ["Selector", "State", "Key", "Published", "What there is to say"],
        rows: keys.map((key) => [
          key.selector,
          key.state,
          key.type === null
            ? key.alias === null
              ? "–"
              : `at ${withoutRootDot(key.alias)}`
            : `${key.type}${key.bits === null ? "" : `, ${key.bits} bits`}`,
          age(key.since),
          key.remarks.length === 0 ? "It works." : key.remarks.map(({ because }) => sentence(inWords(because))).join(" "),
        ]),
      },
    },
  ];
}

/** What a policy does, in a few words. */
const POLICY_WORDS: Readonly<Record<string, string>> = {
  none: "nothing is stopped",
  quarantine: "mail that fails goes to the junk folder",
  reject: "mail that fails is refused",
};

function policyBlocks({ policy, policies, advice, domain }: DossierDomain): Block[] {
  const now =
    policy.failed !== null
      ? { text: `Which DMARC policy is in force could not be asked: ${sentence(inWords(policy.failed))}`, tone: "warn" as const }
      : policy.policy === null
        ? {
            text: `There is no DMARC policy for ${displayName(domain)}, so receivers have no rule against forged mail.`,
            tone: "warn" as const,
          }
        : {
            text: `The policy is p=${policy.policy}: ${POLICY_WORDS[policy.policy]}.`,
            tone: policy.policy === "none" ? ("warn" as const) : ("ok" as const),
          };
  const next = advice?.steps[0];
  return [
    now,
    ...(policies.length === 0
      ? []
      : [
          {
            table: {
              head: ["From", "Policy", "What receivers do"],
              rows: policies.map((one) => [day(one.at), `p=${one.policy}`, sentence(POLICY_WORDS[one.policy] ?? "")]),
            },
          },
        ]),
    ...(next === undefined
      ? []
      : [
          {
            text: `The next step, p=${next.policy}, ${next.safe === true ? "is safe now" : next.safe === false ? "is not safe yet" : "cannot be judged yet"}: ${sentence(inWords(next.because))}`,
            tone: next.safe === true ? ("ok" as const) : ("warn" as const),
          },
        ]),
    ...(advice === null || advice.repairs.length === 0
      ? []
      : [
          {
            items: advice.repairs.map((repair) => ({
              text: `First: ${repair.source}: ${sentence(inWords(repair.because))} ${sentence(step(inWords(repair.remedy)))}`,
            })),
          },
        ]),
  ];
}

function sourceBlocks({ sources, unresolved }: DossierDomain): Block[] {
  if (sources === null)
    return [
      unresolved.some((candidate) => candidate.clause === "dossier-senders")
        ? { text: "Who sends could not be said, because not everything could be asked.", tone: "warn" }
        : {
            text: "No reports have been imported yet. Next: `zandrel dmarc import FOLDER`, with the folder that holds them.",
          },
    ];
  const shown = sources.sources.slice(0, MAX_SOURCES);
  const rest = sources.sources.slice(MAX_SOURCES);
  return [
    { text: sourcesLead(sources) },
    { figure: byVerdict(sources), says: "Messages by week, proven and not proven" },
    { figure: byOrigin(sources), says: "Messages by week and source" },
    {
      table: {
        head: ["Source", "Messages", "Proven", "Why not proven"],
        rows: shown.map((one) => [
          sourceLabel(one),
          one.messages.toLocaleString("en"),
          one.messages < 10 ? `${one.aligned} of ${one.messages}` : percent(one.aligned, one.messages),
          Object.entries(one.reasons)
            .filter(([, number]) => number > 0)
            .map(([reason, number]) => `${number.toLocaleString("en")} ${WHY[reason as keyof typeof WHY]}`)
            .join("; ") || "all proven",
        ]),
        numbers: [1, 2],
      },
    },
    ...(rest.length === 0
      ? []
      : [
          {
            text: `And ${count(rest.length, "more source")} with ${rest.reduce((sum, one) => sum + one.messages, 0).toLocaleString("en")} messages.`,
          },
        ]),
  ];
}

function spreadBlocks({ spread, asks }: DossierDomain, now: number): Block[] {
  if (spread === null) return [{ text: "Nothing has been published yet." }];
  const done = spread.everyone === null || spread.everyone <= now;
  return [
    {
      text: `On ${moment(spread.published, now)} ${listOf(spread.records)} ${spread.records.length === 1 ? "was" : "were"} published at ${spread.to}. ${done ? "Everyone sees it." : `Everyone sees it by ${moment(spread.everyone as number, now)} at the latest.`}`,
    },
    {
      figure: spreadFigure(spread, now),
      says: `The newest change on a time line: published, seen by the resolvers we look from (${spread.seen.length} of ${asks.length} asks), seen by everyone`,
    },
  ];
}

function historyBlocks({ history }: DossierDomain, now: number): Block[] {
  if (history.length === 0) return [{ text: "Nothing has been done yet." }];
  const shown = history.slice(-MAX_EVENTS).reverse();
  return [
    {
      table: {
        head: ["When", "What happened"],
        numbers: [0],
        rows: shown.map((event) => [moment(event.at, now), sentence(historySentence(event))]),
      },
    },
    ...(history.length > shown.length
      ? [{ text: `And ${count(history.length - shown.length, "earlier event")}: \`zandrel history\``, tone: "quiet" } as const]
      : []),
  ];
}

/** Everything about one domain, in the order in which it is read. */
function blocksOf(domain: DossierDomain, now: number): Block[] {
  const headline = headlineOf(domain);
  const sections: readonly (readonly [string, readonly Block[]])[] = [
    ["What changed", sinceBlocks(domain)],
    [
      "What is right",
      domain.right.length === 0
        ? [{ text: "No check could be completed." }]
        : [{ items: domain.right.map((one) => ({ text: `✓ ${sentence(sayRight(one).because)}`, tone: "ok" })) }],
    ],
    ["What to fix", mendBlocks(domain)],
    ["What services asked for", askBlocks(domain)],
    ["Who may send", spfBlocks(domain)],
    ["Keys that sign mail", keyBlocks(domain, now)],
    ["What happens to forgeries", policyBlocks(domain)],
    ["Who does send", sourceBlocks(domain)],
    ["The newest change", spreadBlocks(domain, now)],
    ["History", historyBlocks(domain, now)],
  ];
  const all: Block[] = [
    { text: headline.text, tone: "lead" },
    {
      text: `${sentence(`${domain.role} domain`).slice(0, -1)}${domain.host === null ? "" : `, at ${domain.host}`}. As of ${moment(now, now)}, ${day(now)}.`,
      tone: "quiet",
    },
    ...sections.flatMap(([heading, blocks]): Block[] => [{ heading }, ...blocks]),
  ];
  const terms = hardTermsIn(JSON.stringify(all.filter((block) => !("figure" in block))));
  return [
    ...all,
    { heading: "Words" },
    ...terms.map(
      ({ term, meaning, example }): Block => ({ summary: term, inside: [{ text: `${meaning} Example: ${example}` }] }),
    ),
  ];
}

/** What is in every file of a dossier, so that another one may replace it. */
export const DOSSIER_MARK = "zandrel dossier, version 1";

const fileOf = (domain: DossierDomain, ending: string): string => `${withoutRootDot(domain.domain)}.${ending}`;

/** A file of a dossier. */
export interface DossierFile {
  readonly name: string;
  readonly text: string;
}

/** A dossier as files: one a domain, and an index. */
export function dossierFiles(
  dossier: Pick<Dossier, "at" | "organisation" | "domains">,
  format: "html" | "markdown",
): DossierFile[] {
  const { at, organisation, domains } = dossier;
  const ending = format === "html" ? "html" : "md";
  const write = (title: string, blocks: readonly Block[]): string =>
    `${format === "html" ? page({ title, body: htmlOf(blocks) }) : markdownOf(title, blocks)}<!-- ${DOSSIER_MARK} -->\n`;
  const index: Block[] = [
    { text: `${count(domains.length, "domain")}, as of ${day(at)}.`, tone: "lead" },
    ...domains.flatMap((domain): Block[] => {
      const { text, tone } = headlineOf(domain);
      return [{ links: [{ text: displayName(domain.domain), to: fileOf(domain, ending) }] }, { text, tone }];
    }),
  ];
  return [
    { name: `index.${ending}`, text: write(`Domains of ${organisation}`, index) },
    ...domains.map((domain) => ({ name: fileOf(domain, ending), text: write(displayName(domain.domain), blocksOf(domain, at)) })),
  ];
}

/** What was written, for the terminal and for a message that brings it. */
export function dossierText({ domains, files, mailed }: Dossier, { style, width }: Layout): string {
  const lines = domains.map(
    (domain) => `${style.title(displayName(domain.domain))}\n${wrap(visible(headlineOf(domain).text), width)}`,
  );
  const [index] = files;
  return [
    ...lines,
    "",
    ...(index === undefined
      ? []
      : [
          `${style.good("written")}  ${visible(index)}${files.length > 1 ? ` and ${count(files.length - 1, "file")} beside it` : ""}`,
        ]),
    ...mailed.map(
      ({ to, sent, because }) =>
        `${sent ? style.good("sent") : style.bad("not sent")}  ${visible(to)}: ${visible(inWords(because))}`,
    ),
    "Next: open it in a browser, or make another one later, which says what changed.",
    "",
  ].join("\n");
}
