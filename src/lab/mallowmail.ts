import { randomBytes } from "node:crypto";
import { gzipSync } from "node:zlib";
import { DAY } from "../core/day.ts";
import { type DmarcRecord, destinationOf, type Policy, verifyExternalDestination } from "../core/dmarc/index.ts";
import type { Lookup } from "../core/lookup/index.ts";
import { fieldsNamed, fieldValue, scanMessage } from "../core/message/index.ts";
import type { DomainName } from "../core/name/index.ts";
import { organizationalDomain } from "../core/suffix/index.ts";
import { authenticationResults, judgeMessage, type Verdict } from "../core/verdict/index.ts";
import { failureTeller } from "./failure-mail.ts";
import { type Arrival, deliver, fileInto, listenMail, type MailWorld, type Reply, receivedLine } from "./mail-host.ts";

/** The mailbox provider of the lab. */
export interface Mallowmail {
  /** Writes and mails the reports about every day that is over. */
  reportDaysThatAreOver(): Promise<void>;
  close(): Promise<void>;
}

/** One line of a day's report. */
interface Row {
  readonly ip: string;
  readonly from: string;
  readonly envelope: string;
  readonly disposition: Policy;
  readonly dkim: "pass" | "fail";
  readonly spf: "pass" | "fail";
  readonly signatures: readonly { readonly domain: string; readonly selector: string; readonly result: string }[];
  readonly checked: { readonly domain: string; readonly scope: string; readonly result: string };
}

/** What a day's report is about: one policy, its rows with how often each came. */
interface Day {
  readonly day: number;
  readonly domain: DomainName;
  readonly record: DmarcRecord;
  readonly rows: Map<string, { row: Row; count: number }>;
}

const xml = (text: string): string => text.replace(/[&<>"]/g, (one) => `&#${one.charCodeAt(0)};`);
const bare = (domain: string | undefined): string => domain?.replace(/\.$/, "") ?? "";

/** An aggregate report (RFC 7489 appendix C). */
function reportXml(id: string, { day, domain, record, rows }: Day): string {
  const row = ({ row: one, count }: { row: Row; count: number }): string =>
    `  <record>\n    <row><source_ip>${one.ip}</source_ip><count>${count}</count><policy_evaluated><disposition>${one.disposition}</disposition><dkim>${one.dkim}</dkim><spf>${one.spf}</spf></policy_evaluated></row>\n    <identifiers><envelope_from>${xml(one.envelope)}</envelope_from><header_from>${xml(one.from)}</header_from></identifiers>\n    <auth_results>${one.signatures.map((each) => `<dkim><domain>${xml(each.domain)}</domain><selector>${xml(each.selector)}</selector><result>${each.result}</result></dkim>`).join("")}<spf><domain>${xml(one.checked.domain)}</domain><scope>${one.checked.scope}</scope><result>${one.checked.result}</result></spf></auth_results>\n  </record>\n`;
  return `<?xml version="1.0" encoding="UTF-8"?>\n<feedback>\n  <version>1.0</version>\n  <report_metadata><org_name>mallowmail.example</org_name><email>reports@mallowmail.example</email><report_id>${id}</report_id><date_range><begin>${day * DAY}</begin><end>${(day + 1) * DAY - 1}</end></date_range></report_metadata>\n  <policy_published><domain>${bare(domain)}</domain><adkim>${record.dkimAlignment === "strict" ? "s" : "r"}</adkim><aspf>${record.spfAlignment === "strict" ? "s" : "r"}</aspf><p>${record.policy}</p><sp>${record.subdomains ?? record.policy}</sp><pct>100</pct></policy_published>\n${[...rows.values()].map(row).join("")}</feedback>\n`;
}

/** Some recipients are there to be refused: for good, or for now. */
function recipient(address: string): Reply {
  if (address.startsWith("nobody")) return { code: 550, text: "5.1.1 there is no such mailbox here" };
  if (address.startsWith("full")) return { code: 452, text: "4.2.2 the mailbox is full" };
  return undefined;
}

/** The report about a message that somebody called spam, in the form of RFC 5965. */
const spamReport = (to: string, boundary: string, head: string, now: number): string =>
  `From: complaints@mallowmail.example\r\nTo: ${to}\r\nSubject: a message was reported as spam\r\nDate: ${new Date(now).toUTCString().replace("GMT", "+0000")}\r\nMessage-ID: <${boundary}@mallowmail.example>\r\nMIME-Version: 1.0\r\nContent-Type: multipart/report; report-type=feedback-report; boundary=${boundary}\r\n\r\n--${boundary}\r\nContent-Type: text/plain\r\n\r\nSomebody called this message spam.\r\n--${boundary}\r\nContent-Type: message/feedback-report\r\n\r\nFeedback-Type: abuse\r\nUser-Agent: mallowmail/1\r\nVersion: 1\r\n--${boundary}\r\nContent-Type: message/rfc822\r\n\r\n${head}\r\n\r\n--${boundary}--\r\n`;

/** What a report says of one message. */
function rowOf(domain: DomainName, { dmarc, spf, dkim }: Verdict, arrival: Arrival): Row {
  const aligned = (by: "spf" | "dkim") =>
    dmarc.alignments.some((alignment) => alignment.by === by && alignment.aligned && alignment.passes) ? "pass" : "fail";
  return {
    ip: arrival.ip,
    from: bare(domain),
    envelope: arrival.mailFrom.slice(arrival.mailFrom.lastIndexOf("@") + 1),
    disposition: dmarc.disposition,
    dkim: aligned("dkim"),
    spf: aligned("spf"),
    signatures: dkim.map(({ domain: signer, selector, result }) => ({ domain: bare(signer), selector: selector ?? "", result })),
    checked: {
      domain: bare(spf.domain),
      scope: spf.identity === "helo" ? "helo" : "mfrom",
      result: spf.verdict?.result ?? "none",
    },
  };
}

const REFUSED = {
  code: 550,
  text: "5.7.26 this letter does not prove whose it is, and the domain it names wants such letters turned away",
} as const;

/** Where a message says that complaints about it go (RFC 9477). */
async function complaintsTo(octets: Buffer): Promise<string | undefined> {
  const header = await scanMessage({ chunks: () => [octets] }, () => []);
  const [named = ""] = header.ok ? fieldsNamed(header.value, "cfbl-address").map(fieldValue) : [];
  return /^[^\s;]+@[^\s;]+/.exec(named.trim())?.[0];
}

/** The address that a record names for reports; undefined where it is none, or its owner does not take them. */
async function takerOf(uri: DmarcRecord["aggregate"][number], domain: DomainName, lookup: Lookup): Promise<string | undefined> {
  const destination = destinationOf(uri);
  if (destination === undefined || uri.address === undefined) return undefined;
  const permission = await verifyExternalDestination(domain, organizationalDomain(domain), destination, lookup);
  return permission === "own" || permission === "granted" ? uri.address : undefined;
}

/** The report on a day as a mail to one address, at a time in milliseconds since 1970. */
function dailyReport(day: Day): (to: string, now: number) => string {
  const id = `mm-${day.day}-${randomBytes(4).toString("hex")}`;
  const file = `mallowmail.example!${bare(day.domain)}!${day.day * DAY}!${(day.day + 1) * DAY - 1}.xml.gz`;
  const body = gzipSync(reportXml(id, day)).toString("base64").replace(/.{76}/g, "$&\r\n");
  return (to, now) =>
    `From: reports@mallowmail.example\r\nTo: ${to}\r\nSubject: Report Domain: ${bare(day.domain)} Submitter: mallowmail.example Report-ID: <${id}>\r\nDate: ${new Date(now).toUTCString().replace("GMT", "+0000")}\r\nMessage-ID: <${id}@mallowmail.example>\r\nMIME-Version: 1.0\r\nContent-Type: application/gzip; name="${file}"\r\nContent-Disposition: attachment; filename="${file}"\r\nContent-Transfer-Encoding: base64\r\n\r\n${body}\r\n`;
}

/** Receives mail over SMTP, judges it with a cache of its own, stamps its verdict, files it, and reports once a day. */
export async function startMallowmail(address: string, world: MailWorld): Promise<Mallowmail> {
  const { clock, mailboxes } = world;
  const resolver = world.resolver();
  const own = { address, helo: "mx.mallowmail.example" };
  const days = new Map<string, Day>();
  const lookup = { ask: (of: DomainName, type: Parameters<typeof resolver.ask>[1]) => resolver.ask(of, type) };

  const count = (verdict: Verdict, arrival: Arrival): void => {
    const { dmarc } = verdict;
    const found = dmarc.each[0]?.discovery;
    if (dmarc.domain === undefined || found?.at === undefined || found.record === undefined) return;
    const { at, record } = found;
    const day = Math.floor(clock.now() / 1000 / DAY);
    const row = rowOf(dmarc.domain, verdict, arrival);
    const key = `${day} ${at}`;
    const known = days.get(key) ?? { day, domain: at, record, rows: new Map() };
    days.set(key, known);
    const line = JSON.stringify(row);
    known.rows.set(line, { row, count: (known.rows.get(line)?.count ?? 0) + 1 });
  };

  /** Tells the service that somebody called its message spam (RFC 5965), at the address the message names (RFC 9477). */
  const complain = async (octets: Buffer): Promise<void> => {
    const to = await complaintsTo(octets);
    if (to === undefined) return;
    const boundary = `b${randomBytes(12).toString("hex")}`;
    const head = octets.toString("latin1").split("\r\n\r\n")[0];
    const report = spamReport(to, boundary, head ?? "", clock.now());
    await deliver({ from: "", to, octets: Buffer.from(report, "latin1") }, own, world, resolver);
  };

  const tellFailure = failureTeller({
    now: () => clock.now(),
    takerOf: (uri, domain) => takerOf(uri, domain, lookup),
    send: (to, octets) => deliver({ from: "failures@mallowmail.example", to, octets }, own, world, resolver),
  });

  const message = async (arrival: Arrival): Promise<Reply> => {
    const { ip, helo, mailFrom, octets } = arrival;
    const trace = Buffer.from(`Return-Path: <${mailFrom}>\r\n${receivedLine(arrival, own.helo, clock.now())}`);
    const judged = await judgeMessage(
      { chunks: () => [octets] },
      { envelope: { ip, helo, mailFrom }, lookup, now: Math.floor(clock.now() / 1000) },
    );
    if (!judged.ok) return { code: 554, text: "5.6.0 the message has no header" };
    const verdict = judged.value;
    count(verdict, arrival);
    void tellFailure(verdict, arrival).catch(() => undefined);
    const { disposition, result } = verdict.dmarc;
    if (result === "temperror") return { code: 451, text: "4.7.24 the message could not be judged, try again" };
    if (disposition === "reject") return REFUSED;
    const stamp = Buffer.from(`${authenticationResults("mx.mallowmail.example", verdict)}\r\n`, "latin1");
    const box = `${mailboxes}/${arrival.to.toLowerCase()}`;
    fileInto(disposition === "quarantine" ? `${box}/.Junk` : box, Buffer.concat([stamp, trace, octets]));
    if (arrival.to.startsWith("grumbler")) void complain(octets);
    return { code: 250, text: "2.0.0 delivered" };
  };

  /** Mails one day's report to everybody the record names and who takes it. */
  const mailReport = async (day: Day): Promise<void> => {
    const report = dailyReport(day);
    for (const uri of day.record.aggregate) {
      const to = await takerOf(uri, day.domain, lookup);
      if (to === undefined) continue;
      const octets = Buffer.from(report(to, clock.now()));
      await deliver({ from: "reports@mallowmail.example", to, octets }, own, world, resolver);
    }
  };

  const reportDaysThatAreOver = async (): Promise<void> => {
    const today = Math.floor(clock.now() / 1000 / DAY);
    for (const [key, day] of [...days])
      if (day.day < today) {
        days.delete(key);
        await mailReport(day);
      }
  };
  void (async () => {
    for (;;) {
      await clock.sleep(DAY * 1000 - (clock.now() % (DAY * 1000)) + 60_000);
      await clock.hold(reportDaysThatAreOver()).catch(() => {});
    }
  })();
  const close = await listenMail({ address, port: world.ports.exchange, host: own.helo, recipient, message }, world);
  return { reportDaysThatAreOver, close };
}
