import ipaddr from "ipaddr.js";
import { SaxesParser } from "saxes";
import { type Clause, clause } from "../clause/index.ts";
import { DAY } from "../day.ts";
import { POLICIES, type Policy } from "../dmarc/index.ts";
import { type DomainName, mailDomainOf } from "../name/index.ts";
import { FEEDBACK, HEAD, type Place, ROW_FIELDS, type RowField } from "./places.ts";
import { OVERRIDES, type Override, type ReportHead, type ReportProblem, type ReportRow } from "./report.ts";

/** Depth, length of one text and number of rows beyond which a report is not read. */
const MAX_DEPTH = 20;
const MAX_TEXT = 4096;
const MAX_PIECE = 1 << 20;
/** Characters that are read at a time, so that it does not matter how they come. */
const PIECE = 64 << 10;
const MAX_ROWS = 1_000_000;

/** Ends the reading; carried out of the parser's callbacks. */
class Broken extends Error {
  readonly problem: ReportProblem;
  constructor(kind: ReportProblem["kind"], because: Clause) {
    super(because.clause);
    this.problem = { kind, because };
  }
}

/** What is gathered of one result inside `auth_results`. */
type AuthResult = Record<string, string>;

interface RowParts extends Partial<Record<RowField, string>> {
  readonly reasons: string[];
  readonly dkimResults: AuthResult[];
  readonly spfResults: AuthResult[];
}

const emptyRow = (): RowParts => ({ reasons: [], dkimResults: [], spfResults: [] });

const MAX_REMEMBERED = 300;

/** Values that come again in nearly every row, and what they mean. */
class Memo<T> {
  readonly #known = new Map<string, T>();
  readonly #find: (text: string) => T;
  constructor(find: (text: string) => T) {
    this.#find = find;
  }
  of(text: string): T {
    if (text.length > MAX_REMEMBERED) return this.#find(text);
    let found = this.#known.get(text);
    if (found === undefined && !this.#known.has(text)) {
      if (this.#known.size > 10_000) this.#known.clear();
      this.#known.set(text, (found = this.#find(text)));
    }
    return found as T;
  }
}

const domains = new Memo((text: string): DomainName | undefined => {
  // Some receivers write the whole address.
  return mailDomainOf(text.replace(/\.$/, ""));
});
const domainOf = (text: string | undefined): DomainName | undefined =>
  text === undefined || text === "" ? undefined : domains.of(text);

/** An address in its usual spelling; undefined where it is none. */
const addresses = new Memo((text: string): string | undefined =>
  ipaddr.isValid(text) ? ipaddr.process(text).toString() : undefined,
);

/** Seconds since 1970, from what receivers write: seconds, milliseconds, or a date. */
function timeOf(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  if (/^\d{1,10}(?:\.\d+)?$/.test(text)) return Math.floor(Number(text));
  if (/^\d{13}$/.test(text)) return Math.floor(Number(text) / 1000);
  const parsed = Date.parse(/Z|[+-]\d\d:?\d\d$/.test(text) ? text : `${text}Z`);
  return Number.isNaN(parsed) ? undefined : Math.floor(parsed / 1000);
}

const policyOf = (text: string | undefined): Policy | undefined =>
  POLICIES.find((candidate) => candidate === text?.toLowerCase());

const NO_OVERRIDES: readonly Override[] = [];
const overrideOf = (text: string): Override =>
  OVERRIDES.find((known) => known === text.toLowerCase().replaceAll("-", "_")) ?? "other";

/** Characters of a report, at most: what receivers send has far fewer, and a small archive may unpack to any size. */
const MAX_LENGTH = 96 << 20;

/** Signatures, SPF results or reasons of one row, at most. */
const MAX_LIST = 100;

/** Reports older than this, or from the future, are mistaken or made up. 2012 is before anybody sent one. */
const EARLIEST = Date.UTC(2012, 0, 1) / 1000;

/**
 * Reads one aggregate report (RFC 7489 appendix C) while its XML passes by. Rows are handed out as they are
 * complete and nothing else is kept, so that the size of a report does not matter. Half of the receivers declare no namespace: names are
 * compared without one, and what is in another namespace than the report itself is passed over with all that is in it (XML Namespaces,
 * section 6). Document types and entities of one's own are refused.
 *
 * The head comes with `end`; until then a caller must be able to take back what it did with the rows.
 */
export class ReportReader {
  readonly #parser = new SaxesParser({ xmlns: false, fragment: false });
  readonly #path: Opened[] = [];
  readonly #head: Record<string, string> = {};
  /** The namespace of the report itself. */
  #namespace = "";
  #row: RowParts | undefined;
  #auth: AuthResult | undefined;
  #isReport = false;
  #rows = 0;
  /** Characters so far, and since the last tag. */
  #length = 0;
  #unbroken = 0;
  #problem: ReportProblem | undefined;

  /** @param onRow gets each row once it is complete */
  constructor(onRow: (row: ReportRow) => void) {
    const fail = (kind: ReportProblem["kind"], because: Clause): never => {
      throw new Broken(kind, because);
    };
    this.#parser.on("doctype", () => fail("entities", clause("report-doctype")));
    this.#parser.on("error", (error) =>
      fail("not-xml", clause("report-not-xml", { message: error.message.replace(/^\d+:\d+: /, "") })),
    );
    this.#parser.on("opentag", ({ name, attributes }) => this.#open(name, attributes, fail));
    this.#parser.on("text", (text) => this.#gather(text, fail));
    this.#parser.on("cdata", (text) => this.#gather(text, fail));
    this.#parser.on("closetag", () => this.#close(fail, onRow));
  }

  /** Takes the next piece of the XML; once something is wrong, the rest is passed over. */
  write(text: string): void {
    this.#guarded(() => {
      for (let at = 0; at < text.length; at += PIECE) {
        const piece = text.slice(at, at + PIECE);
        this.#unbroken += piece.length;
        this.#length += piece.length;
        if (this.#length > MAX_LENGTH) throw new Broken("too-large", clause("report-too-long", { most: MAX_LENGTH >> 20 }));
        this.#parser.write(piece);
        // The parser keeps a text until it ends; one without end would fill the memory.
        if (this.#unbroken > MAX_PIECE) throw new Broken("too-large", clause("report-long-piece", { most: MAX_PIECE >> 20 }));
      }
    });
  }

  get problem(): ReportProblem | undefined {
    return this.#problem;
  }

  #guarded(work: () => void): void {
    if (this.#problem !== undefined) return;
    try {
      work();
    } catch (error) {
      if (!(error instanceof Broken)) throw error;
      this.#problem = error.problem;
    }
  }

  #gather(text: string, fail: (kind: ReportProblem["kind"], because: Clause) => never): void {
    const opened = this.#path.at(-1);
    // What is in no place of a report says nothing.
    if (opened?.place === undefined) return;
    if (opened.text.length + text.length > MAX_TEXT) {
      if (text.trim() !== "") fail("too-large", clause("report-long-element", { element: opened.name, most: MAX_TEXT }));
      return;
    }
    opened.text += text;
  }

  #open(
    written: string,
    attributes: Readonly<Record<string, string>>,
    fail: (kind: ReportProblem["kind"], because: Clause) => never,
  ): void {
    const name = local(written);
    const scope = scopeOf(this.#path.at(-1)?.scope ?? {}, attributes);
    const namespace = namespaceOf(written, scope);
    if (this.#path.length === 0) {
      this.#namespace = namespace;
      if (name !== "feedback") fail("not-a-report", clause("report-begins-otherwise", { element: name.slice(0, 40) }));
      this.#isReport = true;
    }
    this.#unbroken = 0;
    const isForeign = namespace !== "" && namespace !== this.#namespace;
    const below = isForeign ? undefined : this.#path.at(-1)?.place?.below.get(name);
    const place = this.#path.length === 0 ? FEEDBACK : below;
    this.#path.push({ name, place, scope, text: "" });
    if (this.#path.length > MAX_DEPTH) fail("too-deep", clause("report-too-deep", { most: MAX_DEPTH }));
    const at = place?.path;
    if (at === "record") {
      if (++this.#rows > MAX_ROWS) fail("too-large", clause("report-too-many-rows", { most: MAX_ROWS }));
      this.#row = emptyRow();
    } else if (at === "record/auth_results/dkim" || at === "record/auth_results/spf") this.#auth = {};
  }

  #close(fail: (kind: ReportProblem["kind"], because: Clause) => never, onRow: (row: ReportRow) => void): void {
    this.#unbroken = 0;
    const closed = this.#path.pop();
    const at = closed?.place?.path;
    if (closed === undefined || at === undefined) return;
    const text = closed.text.trim();
    if (HEAD.has(at)) this.#head[at] ??= text;
    const row = this.#row;
    if (row === undefined) return;
    const field = ROW_FIELDS.get(at);
    if (field !== undefined) row[field] ??= text;
    const few = <T>(list: T[], what: string, one: T): void => {
      if (list.length >= MAX_LIST) fail("too-large", clause("report-long-list", { what, most: MAX_LIST }));
      list.push(one);
    };
    switch (at) {
      case "record/row/policy_evaluated/reason/type":
        few(row.reasons, "reasons", text);
        break;
      case "record/auth_results/dkim":
        few(row.dkimResults, "signatures", this.#auth ?? {});
        this.#auth = undefined;
        break;
      case "record/auth_results/spf":
        few(row.spfResults, "SPF results", this.#auth ?? {});
        this.#auth = undefined;
        break;
      case "record":
        this.#row = undefined;
        onRow(this.#finished(row, fail));
        break;
      default: {
        const tag = /^record\/auth_results\/(?:dkim|spf)\/(domain|selector|result)$/.exec(at)?.[1];
        if (tag !== undefined && this.#auth !== undefined && text !== "") this.#auth[tag] ??= text;
      }
    }
  }

  #finished(row: RowParts, fail: (kind: ReportProblem["kind"], because: Clause) => never): ReportRow {
    const ip = row.ip?.replace(/\s/g, "") ?? "";
    const address = addresses.of(ip);
    if (address === undefined)
      return fail(
        ip === "" ? "missing" : "bad-value",
        ip === "" ? clause("report-no-server") : clause("report-bad-address", { address: ip.slice(0, 50) }),
      );
    if (row.count === undefined || !/^\d{1,12}$/.test(row.count))
      return fail(
        row.count === undefined ? "missing" : "bad-value",
        clause("report-bad-count", { count: (row.count ?? "").slice(0, 30) }),
      );
    const from = domainOf(row.headerFrom) ?? domainOf(this.#head["policy_published/domain"]);
    if (from === undefined) return fail("missing", clause("report-no-from"));
    const passes = (result: AuthResult): boolean => result.result?.toLowerCase() === "pass";
    const signed = row.dkimResults.find(passes) ?? row.dkimResults[0];
    const checked = row.spfResults.find(passes) ?? row.spfResults[0];
    const envelope = domainOf(row.envelopeFrom);
    const signer = domainOf(signed?.domain);
    const spfDomain = domainOf(checked?.domain) ?? envelope;
    return {
      ip: address,
      count: Number(row.count),
      disposition: policyOf(row.disposition) ?? "none",
      dkimAligned: row.dkim?.toLowerCase() === "pass",
      spfAligned: row.spf?.toLowerCase() === "pass",
      overrides: row.reasons.length === 0 ? NO_OVERRIDES : [...new Set(row.reasons.map(overrideOf))],
      from,
      envelope,
      signer,
      selector: signed?.selector?.replace(/[^\w.-]/g, "_").slice(0, 200),
      signerPasses: signed !== undefined && passes(signed),
      spfDomain,
      spfPasses: checked !== undefined && passes(checked),
    };
  }

  /**
   * The head of the report, once all of it went by; or what is wrong with it.
   *
   * @param now seconds since 1970
   */
  end(now: number): { readonly head: ReportHead } | { readonly problem: ReportProblem } {
    this.#guarded(() => {
      try {
        this.#parser.close();
      } catch (error) {
        if (error instanceof Broken && error.problem.kind === "not-xml") throw new Broken("cut", clause("report-cut"));
        throw error;
      }
    });
    if (this.#problem !== undefined) return { problem: this.#problem };
    const problem = (kind: ReportProblem["kind"], because: Clause) => ({ problem: { kind, because } });
    if (!this.#isReport) return problem("not-a-report", clause("report-empty"));
    const get = (name: string): string | undefined => (this.#head[name] === "" ? undefined : this.#head[name]);
    const domain = domainOf(get("policy_published/domain"));
    const id = get("report_metadata/report_id");
    const receiver = get("report_metadata/org_name") ?? get("report_metadata/email");
    const begin = timeOf(get("report_metadata/date_range/begin"));
    const end = timeOf(get("report_metadata/date_range/end")) ?? begin;
    if (domain === undefined) return problem("missing", clause("report-no-domain"));
    if (id === undefined || receiver === undefined) return problem("missing", clause("report-no-receiver"));
    if (begin === undefined || end === undefined) return problem("missing", clause("report-no-time"));
    if (begin < EARLIEST || end < begin || begin > now + 2 * DAY)
      return problem("bad-value", clause("report-impossible-time", { begin, end }));
    return {
      head: {
        receiver: receiver.slice(0, 200),
        email: (get("report_metadata/email") ?? "").slice(0, 200),
        id: id.slice(0, 300),
        begin,
        end,
        domain,
        policy: policyOf(get("policy_published/p")) ?? "none",
      },
    };
  }
}

/** An element's name without its namespace's prefix. */
/** An element that is open: its place in a report, if it has one, the text in it so far, and the namespaces that prefixes stand for. */
interface Opened {
  readonly name: string;
  readonly place: Place | undefined;
  readonly scope: Readonly<Record<string, string>>;
  text: string;
}

/** What prefixes stand for inside an element; the empty one is for names without any. */
function scopeOf(
  outer: Readonly<Record<string, string>>,
  attributes: Readonly<Record<string, string>>,
): Readonly<Record<string, string>> {
  const own = Object.entries(attributes).filter(([name]) => name === "xmlns" || name.startsWith("xmlns:"));
  return own.length === 0 ? outer : { ...outer, ...Object.fromEntries(own.map(([name, uri]) => [name.slice(6), uri])) };
}

/** The namespace of an element; a prefix that nobody declared stands for itself. */
function namespaceOf(name: string, scope: Readonly<Record<string, string>>): string {
  const colon = name.indexOf(":");
  const prefix = colon === -1 ? "" : name.slice(0, colon);
  return Object.hasOwn(scope, prefix) ? (scope[prefix] as string) : prefix === "" ? "" : `undeclared ${prefix}`;
}

const local = (name: string): string => {
  const colon = name.indexOf(":");
  return colon === -1 ? name : name.slice(colon + 1);
};
