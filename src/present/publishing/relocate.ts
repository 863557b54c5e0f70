import type * as z from "zod";
import type { relocate } from "../../app/relocate/relocate.ts";
import type { RelocateResult, unresolved } from "../../app/relocate/schema.ts";
import type { record } from "../../app/shapes.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { LOW_TTL, spanText } from "../../core/spread/index.ts";
import { calendar } from "../calendar.ts";
import { inWords } from "../clauses/index.ts";
import { listOf } from "../english.ts";
import { columns, count, deadline, sentence, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** What DNSSEC means for the move; nothing where the domain is not signed. */
function signaturesText({ domain, signatures, check, at }: RelocateResult, { style, width }: Layout): string {
  if (signatures === null) return "";
  const { state, dsTags, keyTags, ttl, until } = signatures;
  const say = (mark: string, text: string) => `  ${mark}  ${wrap(text, width - 4, "     ")}\n`;
  const moved = check !== null && (check.state === "moved" || check.state === "over");
  switch (state) {
    case "unsigned":
      return "";
    case "fits":
      return say(style.good("✓"), "the DNSSEC record (DS) at the registrar fits a key of the new host");
    case "apart":
      return say(
        style.bad("✗"),
        `the DNSSEC record (DS) fits the new host, and the two hosts do not publish each other's keys (missing: ${listOf(keyTags.map(String))}): ${moved ? "until" : "if the name servers changed now, until"} ${spanText(ttl ?? 0)} later those who remember the keys of one host ${moved ? "refuse" : "would refuse"} the answers of the other`,
      );
    case "unknown":
      return say(
        style.state("unknown", "?"),
        "it could not be asked whether the DNSSEC record (DS) at the registrar fits the new host",
      );
    case "waiting":
      return say(
        style.careful("◐"),
        `the DNSSEC record (DS) is deleted at the registrar, and may be remembered until ${deadline(until ?? at, at)}: change the name servers after that`,
      );
    case "breaks": {
      const keys = keyTags.length === 0 ? "which has no keys" : `which has the keys ${listOf(keyTags.map(String))}`;
      const what = `the DNSSEC record at the registrar (DS, key ${listOf(dsTags.map(String))}) does not fit the new host, ${keys}`;
      return moved
        ? say(
            style.bad("✗"),
            `${what}: every resolver that checks signatures refuses ${displayName(domain)} now. Delete that DS record at the registrar, or enter the one that the new host shows`,
          )
        : say(
            style.bad("✗"),
            `${what}: if the name servers changed now, every resolver that checks signatures would refuse ${displayName(domain)}. Delete that DS record at the registrar first, and wait ${spanText(ttl ?? 0)} (its TTL)`,
          );
    }
  }
}

/** What to do in one step of a move. */
function stepText(
  { code, ttl }: NonNullable<RelocateResult["plan"]>["steps"][number],
  { domain, newHost }: RelocateResult,
): string {
  const own = withoutRootDot(domain);
  const at = `--new-host ${newHost ?? ""}`;
  switch (code) {
    case "lower-ttls":
      return `at the old host, lower the TTL of all records to ${spanText(LOW_TTL)}: until ${spanText(ttl ?? 0)} later some still keep them for the old time`;
    case "copy":
      return `copy the zone: zandrel relocate capture ${own}, enter it at the new host, then zandrel relocate compare ${own} ${at}`;
    case "share-keys":
      return `have each host publish the other's DNSSEC keys (DNSKEY) beside its own, and wait ${spanText(ttl ?? 0)}: resolvers remember the keys so long`;
    case "add-ds":
      return `at the registrar, enter the new host's DS record beside the old one, and wait ${spanText(ttl ?? 0)}`;
    case "delete-old-ds":
      return "at the registrar, delete the old host's DS record; the new host may then drop the old host's keys";
    case "delete-ds":
      return `at the registrar, delete the DS record (DNSSEC), and touch nothing for ${spanText(ttl ?? 0)} after that: resolvers remember it so long`;
    case "change-servers":
      return `at the registrar, change the name servers; the old ones are remembered for up to ${spanText(ttl ?? 0)}`;
    case "look":
      return `follow it: zandrel relocate check ${own} ${at}`;
    case "enter-ds":
      return "at the registrar, enter the DS record that the new host shows, so that the domain is signed again";
    case "switch-off":
      return "switch the old host off: nobody is led there any more";
  }
}

/** When a step may be taken. */
function spanOf({ earliest, latest }: NonNullable<RelocateResult["plan"]>["steps"][number], now: number): string {
  if (latest === null) return `from ${deadline(earliest, now)} on`;
  if (latest <= now) return "now";
  if (earliest >= latest) return `at ${deadline(latest, now)}`;
  return earliest <= now ? `until ${deadline(latest, now)}` : `${deadline(earliest, now)} to ${deadline(latest, now)}`;
}

/** The plan of a move as a calendar file; undefined where there is none. */
export function moveCalendar(result: RelocateResult): string | undefined {
  const { plan, domain, at } = result;
  return plan === null
    ? undefined
    : calendar(
        plan.steps.map((step) => ({
          at: step.latest ?? step.earliest,
          title: `${displayName(domain)}: ${step.code.replaceAll("-", " ")}`,
          text: stepText(step, result),
        })),
        at,
      );
}

/** What every text about a move begins with and refers to. */
interface Telling {
  readonly result: RelocateResult;
  readonly layout: Layout;
  readonly title: string;
  /** What signatures say of the move; empty where nothing. */
  readonly signed: string;
  /** A step of the move, to be typed. */
  step(name: string): string;
}

const openLines = (list: readonly z.output<typeof unresolved>[], { style }: Layout): string[] =>
  list
    .slice(0, 10)
    .map((one) => `  ${style.state("unknown", "?")} ${displayName(one.name)} ${one.type}: ${visible(inWords(one.because))}`);

function captureText(captured: NonNullable<RelocateResult["capture"]>, { result, layout, title }: Telling): string {
  const { style, width } = layout;
  const compare = (host: string) => style.command(`zandrel relocate compare ${withoutRootDot(result.domain)} --new-host ${host}`);
  const next =
    captured.otherHosts.length === 0
      ? `Enter or import it at the new host, and say which host that is, in place of the words in capitals.\nNext: ${style.command("zandrel host set KEY --title NAME --address ADDRESS")}`
      : `Enter or import it at the new host.\nNext: ${captured.otherHosts.map(compare).join(" or ")}`;
  const open = openLines(captured.unresolved, layout).map((line) => `${line}\n`);
  const remark = (mark: string, text: string) => `  ${mark} ${wrap(text, width - 4, "    ")}\n`;
  const pointers = [
    ...captured.leftOut.map(({ name, type }) =>
      remark(
        style.quiet("-"),
        `${displayName(name)} ${type} is left out: it says where the old host takes approvals, and the new one has its own`,
      ),
    ),
    ...captured.toOldHost.map(({ name, type, target }) =>
      remark(
        style.careful("!"),
        `${displayName(name)} ${type} leads to ${displayName(target)}, a machine of the old host: it may stop working when you leave; decide what it should lead to`,
      ),
    ),
  ];
  return `${title}  ${style.good(`${count(captured.records, "record")} captured`)} in ${visible(captured.file)}\n${wrap(sentence(visible(inWords(captured.because))), width)}\n${open.join("")}${pointers.join("")}${next}\n`;
}

function planText(planned: NonNullable<RelocateResult["plan"]>, { result, layout, title, signed, step }: Telling): string {
  const { style, width } = layout;
  const { at: now, domain, newHost } = result;
  const steps = planned.steps.map(
    (one, i) =>
      `  ${style.strong(String(i + 1))}  ${style.careful(spanOf(one, now))}\n     ${wrap(stepText(one, result), width - 5, "     ")}\n`,
  );
  const doubts =
    planned.unresolved.length === 0
      ? ""
      : `${openLines(planned.unresolved, layout).join("\n")}\nNot everything could be asked, so that some times may be too short: plan it again before you begin.\n`;
  const verdict =
    planned.moveAt < planned.possibleFrom
      ? `${style.bad("Too early:")} the name servers may change from ${deadline(planned.possibleFrom, now)} on. Plan it again with a later --move-at.\nNext: ${step("plan")}`
      : `Next: ${style.command(`zandrel relocate capture ${withoutRootDot(domain)}`)}`;
  return `${title}  the move to ${visible(newHost ?? "")}: the name servers change at ${deadline(planned.moveAt, now)}\n${signed}${steps.join("")}${doubts}${verdict}\n`;
}

/** How records of the old host and the new one differ. */
const DIFFERENCE = {
  missing: "missing at the new host",
  extra: "only at the new host",
  differs: "differs",
  ttl: "another TTL",
} as const;

function compareText(compared: NonNullable<RelocateResult["compare"]>, { layout, title, signed, step }: Telling): string {
  const { style, width } = layout;
  const shown = (records: readonly z.output<typeof record>[]) =>
    visible(records.map((one) => (typeof one.data === "string" ? one.data : Object.values(one.data).join(" "))).join(", "));
  const rows = compared.differences.map((difference) => {
    const values =
      difference.kind === "ttl"
        ? `${difference.old[0]?.ttl} s, and ${difference.new[0]?.ttl} s at the new host`
        : difference.kind === "differs"
          ? `${shown(difference.old)}, and ${shown(difference.new)} at the new host`
          : shown(difference.old.length > 0 ? difference.old : difference.new);
    const paint = difference.kind === "missing" || difference.kind === "differs" ? style.bad : style.careful;
    return `  ${paint(DIFFERENCE[difference.kind])}  ${displayName(difference.name)} ${difference.type}\n      ${wrap(values, width - 6, "      ")}`;
  });
  const verdict = compared.ready
    ? `${style.good("Ready.")} Change the name servers at the registrar, then look whether it has moved.\nNext: ${step("check")}`
    : compared.unresolved.length > 0
      ? "Not everything could be asked; try again."
      : `${style.bad("Not ready:")} ${compared.differences.length === 0 ? "mind the DNSSEC record first" : "fix what is missing or differs"}, then compare again.\nNext: ${step("compare")}`;
  const lines = [...rows, ...openLines(compared.unresolved, layout)].map((line) => `${line}\n`);
  return `${title}  ${count(compared.same, "record set")} the same at both hosts\n${lines.join("")}${signed}${verdict}\n`;
}

const CHECKED = { "not-yet": "Not moved yet", half: "Half moved", moved: "Moved", over: "Over" } as const;

function checkText(checked: NonNullable<RelocateResult["check"]>, { result, layout, title, signed, step }: Telling): string {
  const { style, width } = layout;
  const { at: now, domain, newHost } = result;
  const paint = checked.state === "moved" || checked.state === "over" ? style.good : style.careful;
  const rows = columns(
    checked.vantages.map((one) => [
      one.sees === "new" ? "✓ sees the new host" : one.sees === "old" ? "◐ sees the old host" : "? cannot be asked",
      one.vantage,
      one.until === null ? "" : `until ${deadline(one.until, now)}`,
    ]),
    (cell, column, row) => (column === 0 ? style.state(checked.vantages[row]?.sees ?? "unknown", cell) : cell),
  );
  const breaks = result.signatures?.state === "breaks" || result.signatures?.state === "apart";
  const waits = result.signatures?.state === "waiting";
  const still =
    checked.state === "not-yet" && (breaks || waits)
      ? `${breaks ? "Mind the DNSSEC record first, then look again." : "Wait until then, and change the name servers after that."}\nNext: ${step(breaks ? "plan" : "check")}\n`
      : checked.state === "not-yet" || checked.state === "half"
        ? `Change the name servers at the registrar, then look again.\nNext: ${step("check")}\n`
        : "";
  const off =
    checked.oldHostUntil === null
      ? ""
      : checked.state === "over"
        ? "The old host may be switched off.\n"
        : `Keep the old host until ${style.strong(deadline(checked.oldHostUntil, now))}: until then somebody may still be led there.\n`;
  const follow = {
    same: "",
    changed: `The domain's file names ${newHost} as its DNS host now.\nNext: ${style.command(`zandrel draft ${withoutRootDot(domain)}`)}\n`,
    "to-change": `The domain's file still names the old host.\nNext: ${style.command(`zandrel relocate check ${withoutRootDot(domain)} --new-host ${newHost} --write`)}\n`,
  }[checked.host];
  return `${title}  ${paint(CHECKED[checked.state])}\n${wrap(sentence(visible(inWords(checked.because))), width)}\n${rows.map((line) => `  ${line}\n`).join("")}${signed}${off}${still}${follow}`;
}

/** The result of {@link relocate} for people. */
export function relocateText(result: RelocateResult, layout: Layout): string {
  const { domain, newHost, capture, compare, check, plan } = result;
  const { style } = layout;
  const telling: Telling = {
    ...{ result, layout, title: style.title(displayName(domain)), signed: signaturesText(result, layout) },
    step: (name) => style.command(`zandrel relocate ${name} ${withoutRootDot(domain)} --new-host ${newHost ?? ""}`),
  };
  if (capture !== null) return captureText(capture, telling);
  if (plan !== null) return planText(plan, telling);
  if (compare !== null) return compareText(compare, telling);
  return check === null ? "" : checkText(check, telling);
}
