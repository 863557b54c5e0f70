import type { StatusResult } from "../../app/asks/status.ts";
import { displayName } from "../../core/name/index.ts";
import { inWords, isCommand } from "../clauses/index.ts";
import { columns, count, deadline, moment, NO_HOST, STATE_MARK, visible, wrap, YOUR_HOST } from "../index.ts";
import type { Layout } from "../layout.ts";
import { elsewhereLine, followServers } from "../publishing/elsewhere.ts";
import { lossLines } from "../publishing/losses.ts";

/** The result of {@link status} for people. */
export function statusText({ domains, broken: mistaken, at }: StatusResult, layout: Layout): string {
  const { style, width } = layout;
  const mistakes = mistaken.map(
    ({ because }) => `${style.bad("✗ cannot be read")}  ${wrap(visible(inWords(because)), width - 4, "    ")}\n\n`,
  );
  if (domains.length === 0 && mistaken.length > 0) return mistakes.join("");
  if (domains.length === 0) return `No domain yet. Next: ${style.command("zandrel init DOMAIN")}\n`;
  const now = at;
  const blocks = domains.map(
    ({ domain, role, host, asks, senders, keysWithoutAsk, interrupted, sheet, lost, signaturesEnd, elsewhere }) => {
      const heading = `${style.title(displayName(domain))}  ${style.quiet(`${role}, ${visible(host ?? NO_HOST)}, as of ${moment(now, now)}`)}`;
      const rows = columns(
        asks.map((ask) => [`${STATE_MARK[ask.state]} ${ask.state}`, ask.id, `${ask.service}, ${ask.purpose}`]),
        (cell, column, row) =>
          column === 0 ? style.state(asks[row]?.state ?? "", cell) : column === 1 ? style.strong(cell) : cell,
      );
      const lines = asks.flatMap((ask, i) => {
        const by =
          ask.state === "spreading" && ask.visibleBy !== null
            ? `; everyone sees it by ${style.strong(deadline(ask.visibleBy, now))} at the latest`
            : "";
        return [
          `  ${rows[i]}`,
          `    ${wrap(visible(inWords(ask.because)), width - 6, "    ")}${by}`,
          ...(ask.next.clause === "nothing"
            ? []
            : [`    next: ${isCommand(ask.next) ? style.command(inWords(ask.next)) : visible(inWords(ask.next))}`]),
        ];
      });
      const broken = interrupted.map((line) => `  ${style.careful("!")} ${wrap(visible(inWords(line)), width - 6, "    ")}`);
      const mail = senders.flatMap(({ service, address, state, next }) => [
        `  ${next.clause === "nothing" ? style.good(`✓ ${state}`) : style.careful(`○ ${state}`)}  ${visible(address ?? "the domain")} at ${service}`,
        ...(next.clause === "nothing" ? [] : [`    next: ${style.command(inWords(next))}`]),
      ]);
      const entering =
        sheet === null
          ? []
          : [
              `  ${style.careful("○ sheet open")}  since ${moment(sheet.since, now)}: what it says is still to be entered at ${visible(host ?? YOUR_HOST)}`,
              `    next: ${style.command(inWords(sheet.next))}`,
            ];
      const missing = lossLines(lost, layout);
      const ending =
        signaturesEnd === null
          ? []
          : [
              `  ${style.careful("! signatures end")}  ${wrap(`the DNSSEC signatures of ${displayName(domain)} end ${deadline(signaturesEnd, now)}, before everyone sees what was published; if nobody signs until then, every resolver that checks signatures refuses the domain`, width - 6, "    ")}`,
              "    next: ask the DNS host whether it signs by itself, and when",
            ];
      const keys = keysWithoutAsk.flatMap(({ selector, next }) => [
        `  ${style.careful("○ not asked for")}  the key of the selector ${visible(selector)} is in the workspace, and its record is not`,
        `    next: ${style.command(inWords(next))}`,
      ]);
      return [
        heading,
        ...(elsewhere === null ? [] : [elsewhereLine(elsewhere, layout), `    next: ${style.command(followServers(elsewhere))}`]),
        ...broken,
        ...entering,
        ...missing,
        ...ending,
        ...(lines.length === 0 ? [`  nothing has been asked for yet; next: ${style.command("zandrel intake")}`] : lines),
        ...mail,
        ...keys,
      ].join("\n");
    },
  );
  const total = domains.flatMap((domain) => domain.asks);
  const done = total.filter((ask) => ask.state === "proven").length;
  return `${mistakes.join("")}${blocks.join("\n\n")}\n\n${count(total.length, "ask")}, ${done} proven.\n`;
}
