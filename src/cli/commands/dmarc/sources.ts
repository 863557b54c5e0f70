import { z } from "zod";
import { REPORTED, withReports } from "../../../app/reports/reported.ts";
import { REASONS, type Reason, type Source } from "../../../core/aggregate/index.ts";
import { type DomainName, displayName } from "../../../core/name/index.ts";
import { EXIT } from "../../../core/user-error.ts";
import { columns, count, dayText, visible, wrap } from "../../../present/index.ts";
import { writeAtomically } from "../../../workspace/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  domain: z.string(),
  reports: z.number(),
  receivers: z.number(),
  from: z.string(),
  to: z.string(),
  messages: z.number(),
  aligned: z.number().describe("messages that DMARC passes"),
  sources: z.array(
    z.object({
      title: z.string(),
      service: z.string().nullable().describe("the service of the workspace it was recognised as"),
      ours: z.boolean().describe("whether it is known to send for you: a service, or somebody the SPF record lets send"),
      messages: z.number(),
      aligned: z.number(),
      byDkim: z.number(),
      bySpf: z.number(),
      bySpfOnly: z.number(),
      reasons: z.record(z.enum(REASONS), z.number()).describe("why messages are not proven"),
      dispositions: z.object({ none: z.number(), quarantine: z.number(), reject: z.number() }),
      blocks: z.array(z.string()),
      signers: z.array(z.string()),
      envelopes: z.array(z.string()),
      from: z.array(z.string()),
      weeks: z.array(z.object({ week: z.string().describe("its Monday"), messages: z.number(), aligned: z.number() })),
    }),
  ),
  page: z.string().nullable().describe("the page that was written"),
});
type Result = z.output<typeof result>;

const WHY: Readonly<Record<Reason, string>> = {
  forwarded: "forwarded by a list or another mailbox, which broke the signature",
  "wrong-signer": "signed with another domain than yours",
  "wrong-return-path": "not signed in your name, and sent with another domain's return path",
  "nothing-passes": "neither SPF nor DKIM passes",
};

const json = (source: Source): Result["sources"][number] => ({
  ...source,
  service: source.service ?? null,
  ours: source.ours,
  reasons: { ...source.reasons },
  dispositions: { ...source.dispositions },
  blocks: [...source.blocks],
  signers: [...source.signers],
  envelopes: [...source.envelopes],
  from: [...source.from],
  weeks: source.weeks.map((week) => ({ ...week, week: dayText(week.week) })),
});

/** A share in per cent that says 100 and 0 only where it is all or nothing. */
export function percent(part: number, whole: number): string {
  if (whole === 0) return "–";
  const exact = (part / whole) * 100;
  const shown = exact > 99.5 && exact < 100 ? 99 : exact > 0 && exact < 0.5 ? 1 : Math.round(exact);
  return `${shown} %`;
}

const BARS = " ▁▂▃▄▅▆▇█";

/** Weeks as bars, each as high as its share of the busiest; `all` are the weeks that any source has. */
function trend(weeks: Result["sources"][number]["weeks"], all: readonly string[]): string {
  const counts = all.map((week) => weeks.find((one) => one.week === week)?.messages ?? 0);
  const most = Math.max(1, ...counts);
  return counts.map((count) => BARS[Math.ceil((count / most) * (BARS.length - 1))]).join("");
}

export default command<Result>({
  name: "dmarc sources",
  operands: "[DOMAIN]",
  summary: "say who sends as you by the reports of receivers: your services and everybody else, proven or not, and why not",
  examples: [
    ["zandrel dmarc sources brackwater.example", "the last four weeks"],
    ["zandrel dmarc sources brackwater.example --days 90 --html sources.html", "a page with charts, to print or to pass on"],
  ],
  options: { ...REPORTED, html: { type: "string", requiresArg: true, describe: "also write a page with charts into this file" } },
  schema: result,
  run: (args, context) =>
    withReports(args, context, "dmarc sources", async ({ domain, reports, receivers, from, to, sources }) => {
      const shown: Result = {
        domain,
        reports,
        receivers,
        from: dayText(from),
        to: dayText(to),
        messages: sources.reduce((sum, one) => sum + one.messages, 0),
        aligned: sources.reduce((sum, one) => sum + one.aligned, 0),
        sources: sources.map(json),
        page: (args.html as string | undefined) ?? null,
      };
      if (shown.page !== null) {
        // The charts are heavy, and only this page needs them.
        const { sourcesPage } = await import("../../../present/sources-page.ts");
        writeAtomically(
          shown.page,
          sourcesPage({ ...shown, domain: displayName(domain), why: (reason) => WHY[reason as Reason] }),
        );
      }
      return {
        exit: sources.some((one) => one.ours && one.aligned < one.messages * 0.98) ? EXIT.not : EXIT.ok,
        result: shown,
      };
    }),
  present({ domain, reports, receivers, from, to, messages, aligned, sources, page }, { style, width }) {
    const all = [...new Set(sources.flatMap((one) => one.weeks.map(({ week }) => week)))].sort();
    const rows = sources.map((one) => [
      one.messages.toLocaleString("en").padStart(9),
      percent(one.aligned, one.messages).padStart(6),
      one.ours ? visible(one.title) : `unknown: ${visible(one.title)}`,
      trend(one.weeks, all),
    ]);
    const details = sources.flatMap((one) => {
      const why = REASONS.filter((reason) => one.reasons[reason] > 0).map(
        (reason) => `${one.reasons[reason].toLocaleString("en")} ${WHY[reason]}`,
      );
      const fragile =
        one.bySpfOnly > one.messages / 2
          ? [`${one.bySpfOnly.toLocaleString("en")} proven by SPF alone, which breaks when mail is forwarded`]
          : [];
      if (why.length + fragile.length === 0) return [];
      const where = [
        one.blocks.slice(0, 2).join(", "),
        ...(one.signers.length === 0 ? [] : [`signed by ${one.signers.slice(0, 2).map(visible).join(", ")}`]),
      ].join("; ");
      return [wrap(`${style.strong(visible(one.title))} (${where}): ${[...why, ...fragile].join("; ")}.`, width, "  ")];
    });
    return [
      `${style.title(`Who sends as ${displayName(domain as DomainName)}`)}, ${from} to ${to}, by ${count(reports, "report")} of ${count(receivers, "receiver")}`,
      "",
      ...columns([[" messages", "proven", "source", "by week"], ...rows], (cell, column, row) =>
        row === 0
          ? style.quiet(cell)
          : column === 1
            ? (sources[row - 1]?.aligned ?? 0) >= (sources[row - 1]?.messages ?? 0) * 0.98
              ? style.good(cell)
              : style.bad(cell)
            : cell,
      ),
      "",
      ...details,
      `${messages.toLocaleString("en")} messages, ${percent(aligned, messages)} of them proven to be yours.`,
      ...(page === null ? [] : [`${style.good("written")}  ${page}`]),
      `Next: ${style.command(`zandrel dmarc advise ${displayName(domain as DomainName)}`)}`,
      "",
    ].join("\n");
  },
});
