import { type ReportHead, type ReportRow, type Seen, weekOf } from "../core/aggregate/index.ts";
import { DAY } from "../core/day.ts";
import { POLICIES } from "../core/dmarc/index.ts";
import type { FailureReport } from "../core/failure-report/index.ts";
import type { DomainName } from "../core/name/index.ts";
import type { DatabaseForm } from "./database.ts";
import type { PostgresForm } from "./postgres-sql.ts";
import { type Sql, sqliteSql, transaction } from "./sql.ts";

/** Kinds of rows that are gathered before they are written. */
const MAX_STAGED = 5000;
const MAX_NUMBERED = 50_000;

/** What makes two rows alike, in the order of the columns of `origin`. */
type Fields = readonly [
  from: string,
  ip: string,
  signer: string,
  selector: string,
  spfDomain: string,
  envelope: string,
  dkimAligned: 0 | 1,
  spfAligned: 0 | 1,
  signerPasses: 0 | 1,
  spfPasses: 0 | 1,
  overrides: string,
];

/** Rows that are alike, what receivers did with them, and how many messages they speak of; plain data, also between threads. */
export interface RowSum {
  readonly key: string;
  readonly fields: Fields;
  readonly disposition: string;
  count: number;
}

/** A report that was read to its end. */
export interface ReadReport {
  readonly head: ReportHead;
  readonly rows: number;
  readonly messages: number;
}

/** A report that is new, for the story of its domain: who sent it, as they call themselves, and its first and last second. */
export type ArrivedReport = Pick<ReportHead, "receiver" | "domain" | "begin" | "end"> & Pick<ReadReport, "messages">;

const bit = (met: boolean): 0 | 1 => (met ? 1 : 0);

const fieldsOf = (row: ReportRow): Fields => [
  row.from,
  row.ip,
  row.signer ?? "",
  row.selector ?? "",
  row.spfDomain ?? "",
  row.envelope ?? "",
  bit(row.dkimAligned),
  bit(row.spfAligned),
  bit(row.signerPasses),
  bit(row.spfPasses),
  row.overrides.join(" "),
];

/** Adds up the rows of one report that are alike. */
export class RowSums {
  #sums = new Map<string, RowSum>();
  rows = 0;
  messages = 0;

  /** Whether so many kinds are gathered that they have to be taken away first. */
  get isFull(): boolean {
    return this.#sums.size >= MAX_STAGED;
  }

  add(row: ReportRow): void {
    this.rows += 1;
    this.messages += row.count;
    const fields = fieldsOf(row);
    const key = fields.join("|");
    const same = this.#sums.get(row.disposition + key);
    if (same === undefined)
      this.#sums.set(row.disposition + key, { key, fields, disposition: row.disposition, count: row.count });
    else same.count += row.count;
  }

  /** What was gathered since it was last taken. */
  take(): RowSum[] {
    const sums = [...this.#sums.values()];
    this.#sums = new Map();
    return sums;
  }
}

/** A row of `since`: the columns of an origin in the order of {@link Fields}, and its weeks and their counts, each as one text. */
type Joined = readonly [...Fields, weeks: string, counts: string];

function seenIn([
  from,
  ip,
  signer,
  selector,
  spfDomain,
  envelope,
  dkim,
  spf,
  signerPasses,
  spfPasses,
  overrides,
  weeks,
  counts,
]: Joined): Seen {
  const known = <T>(text: string): T => (text === "" ? undefined : text) as T;
  return {
    from: from as DomainName,
    ip,
    signer: known(signer),
    selector: known(selector),
    spfDomain: known(spfDomain),
    envelope: known(envelope),
    dkimAligned: dkim === 1,
    spfAligned: spf === 1,
    signerPasses: signerPasses === 1,
    spfPasses: spfPasses === 1,
    overrides: (overrides === "" ? [] : overrides.split(" ")) as Seen["overrides"],
    counts: countsIn(weeks, counts),
  };
}

/** Reads “week*4+disposition,…” and “count,…” side by side; by hand, because there are millions. */
function countsIn(weeks: string, counts: string): number[] {
  const read: number[] = [];
  let at = 0;
  let number = 0;
  for (let i = 0; i <= weeks.length; i++) {
    const digit = weeks.charCodeAt(i) - 48;
    if (digit >= 0) {
      number = number * 10 + digit;
      continue;
    }
    let count = 0;
    for (let next = counts.charCodeAt(at++) - 48; next >= 0; next = counts.charCodeAt(at++) - 48) count = count * 10 + next;
    read.push(number >> 2, number & 3, count);
    number = 0;
  }
  return read;
}

/** Where the rows of the report that is being read are gathered. */
const STAGED = "CREATE TEMP TABLE IF NOT EXISTS staged (origin BIGINT, disposition TEXT, count BIGINT)";

/** A week and what receivers did in it as one number, for {@link countsIn}; the index is that of {@link POLICIES}. */
const WEEK = `week * 4 + CASE disposition ${POLICIES.map((policy, i) => `WHEN '${policy}' THEN ${i}`).join(" ")} END`;

/** What the two databases say differently. */
interface Dialect {
  /** The lists of a list of lists that comes as JSON. */
  readonly each: string;
  /** The cell of such a list, as a number where it is one. */
  cell(at: number, isNumber?: boolean): string;
  /** All numbers of a group as one text, with commas between them. */
  readonly listed: (number: string) => string;
}
const SQLITE: Dialect = {
  each: "json_each(?)",
  cell: (at) => `value ->> ${at}`,
  listed: (number) => `group_concat(${number})`,
};
const POSTGRES: Dialect = {
  each: "jsonb_array_elements(?::jsonb)",
  cell: (at, isNumber = false) => (isNumber ? `(value ->> ${at})::bigint` : `value ->> ${at}`),
  listed: (number) => `string_agg((${number})::text, ',')`,
};

/**
 * What aggregate reports say, summed up by week. Millions of rows of reports
 * become the few that differ. A report counts once, and is kept as a whole or not at all.
 */
export class ReportStore {
  readonly #sql: Sql;
  readonly #dialect: Dialect;
  readonly #origins = new Map<string, number>();

  constructor(sql: Sql, dialect: Dialect = SQLITE) {
    this.#sql = sql;
    this.#dialect = dialect;
    if (!sql.isPostgres) sql.run(STAGED);
  }

  /** The numbers of origins; those that are new get one. All in two statements, because there may be many. */
  #number(unknown: readonly RowSum[]): void {
    const list = JSON.stringify(unknown.map(({ fields, key }) => [key, ...fields]));
    const { cell, each } = this.#dialect;
    const cells = Array.from({ length: 12 }, (_, i) => cell(i, i >= 7 && i <= 10)).join(", ");
    this.#sql.run(
      `INSERT INTO origin (key, from_domain, ip, signer, selector, spf_domain, envelope, dkim_aligned, spf_aligned, signer_passes, spf_passes, overrides)
       SELECT ${cells} FROM ${each} WHERE true ON CONFLICT DO NOTHING`,
      list,
    );
    const numbers = this.#sql.all<{ key: string; id: number }>(
      `SELECT key, id FROM origin WHERE key IN (SELECT ${cell(0)} FROM ${each})`,
      JSON.stringify(unknown.map(({ key }) => [key])),
    );
    for (const { key, id } of numbers) this.#origins.set(key, id);
  }

  /** Rows that are alike, added to those of the report that is being read. */
  #stage(sums: readonly RowSum[]): void {
    if (sums.length === 0) return;
    if (this.#origins.size > MAX_NUMBERED) this.#origins.clear();
    const unknown = sums.filter(({ key }) => !this.#origins.has(key));
    if (unknown.length > 0) this.#number(unknown);
    const list = JSON.stringify(sums.map(({ key, disposition, count }) => [this.#origins.get(key), disposition, count]));
    const { cell, each } = this.#dialect;
    this.#sql.run(`INSERT INTO staged SELECT ${cell(0, true)}, ${cell(1)}, ${cell(2, true)} FROM ${each}`, list);
  }

  /**
   * Takes one report in: `read` hands over its rows, added up, and ends with its head, or with undefined where the report
   * is to be set aside. Nothing of it stays then.
   */
  async take(
    read: (add: (sums: readonly RowSum[]) => void) => Promise<ReadReport | undefined>,
  ): Promise<"taken" | "known" | "set-aside"> {
    this.#sql.begin();
    try {
      // A new connection has none.
      if (this.#sql.isPostgres) this.#sql.run(STAGED);
      this.#sql.run("DELETE FROM staged");
      const report = await read((sums) => this.#stage(sums));
      if (report === undefined) {
        this.#rollback();
        return "set-aside";
      }
      const { head, rows, messages } = report;
      const changes = this.#sql.run(
        "INSERT INTO report (receiver, email, report, domain, first, last, policy, rows, messages) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING",
        ...[head.receiver.toLowerCase(), head.email, head.id, head.domain, head.begin, head.end, head.policy, rows, messages],
      );
      if (changes === 0) {
        this.#rollback();
        return "known";
      }
      this.#sql.run(
        `INSERT INTO tally SELECT origin, CAST(? AS BIGINT), disposition, sum(count) FROM staged WHERE true GROUP BY origin, disposition ORDER BY origin
         ON CONFLICT (origin, week, disposition) DO UPDATE SET count = tally.count + excluded.count`,
        weekOf(Math.floor(head.begin / DAY)),
      );
      this.#sql.run(
        "INSERT INTO arrived (receiver, domain, first, last, messages) VALUES (?, ?, ?, ?, ?)",
        ...[head.receiver, head.domain, head.begin, head.end, messages],
      );
      this.#sql.commit();
      return "taken";
    } catch (error) {
      this.#rollback();
      throw error;
    }
  }

  #rollback(): void {
    // Numbers given out in a transaction that is taken back are not good any more.
    this.#origins.clear();
    this.#sql.rollback();
  }

  /** Takes in reports about single messages, all of them or none; how many are new. */
  takeFailures(reports: readonly FailureReport[]): number {
    if (reports.length === 0) return 0;
    const list = JSON.stringify(reports.map(({ key, from, at, ...rest }) => [key, from, at, JSON.stringify(rest)]));
    const { cell, each } = this.#dialect;
    return transaction(this.#sql, () =>
      this.#sql.run(
        `INSERT INTO failure (key, from_domain, at, detail) SELECT ${cell(0)}, ${cell(1)}, ${cell(2, true)}, ${cell(3)} FROM ${each} WHERE true ON CONFLICT DO NOTHING`,
        list,
      ),
    );
  }

  /** When the newest message that was reported as failed arrived, in seconds since 1970; undefined where there is none. */
  newestFailure(domain: string): number | undefined {
    const [row] = this.#sql.all<{ at: number | null }>(
      "SELECT max(at) AS at FROM failure WHERE from_domain = ? OR from_domain LIKE '%.' || ?",
      ...[domain, domain],
    );
    return row === undefined || row.at === null ? undefined : Number(row.at);
  }

  /** Reports about single messages of a From domain and below, the newest first. */
  *failures(domain: string, since = 0): Generator<FailureReport> {
    const rows = this.#sql.rows<readonly [key: string, from: string, at: number, detail: string]>(
      "SELECT key, from_domain, at, detail FROM failure WHERE (from_domain = ? OR from_domain LIKE '%.' || ?) AND at >= ? ORDER BY at DESC, key",
      ...[domain, domain, since],
    );
    for (const [key, from, at, detail] of rows)
      yield {
        ...(JSON.parse(detail) as Omit<FailureReport, "key" | "from" | "at">),
        key,
        from: from as DomainName,
        at: Number(at),
      };
  }

  /** Reports that were taken in and not told yet, also by a run that was killed. */
  untold(): ArrivedReport[] {
    type Row = Record<"receiver" | "domain", string> & Record<"first" | "last" | "messages", number>;
    const rows = this.#sql.all<Row>("SELECT receiver, domain, first, last, messages FROM arrived");
    return rows.map(({ receiver, domain, first, last, messages }) => ({
      receiver,
      domain: domain as DomainName,
      ...{ begin: Number(first), end: Number(last), messages: Number(messages) },
    }));
  }

  /** Says that everything that was untold is told now; nobody else takes reports in meanwhile. */
  told(): void {
    this.#sql.run("DELETE FROM arrived");
  }

  /** Everything seen of a From domain and below in the weeks from a day on; the day of a count is the Monday of its week. */
  *since(domain: string, day: number): Generator<Seen> {
    const { listed } = this.#dialect;
    // One row an origin, its weeks in two texts: millions of rows are slow to hand over one by one.
    const rows = this.#sql.rows<Joined>(
      `SELECT from_domain, ip, signer, selector, spf_domain, envelope, dkim_aligned, spf_aligned, signer_passes, spf_passes, overrides, weeks, counts
       FROM (SELECT origin, ${listed(WEEK)} AS weeks, ${listed("count")} AS counts FROM tally WHERE week >= ? GROUP BY origin) AS summed
       CROSS JOIN origin WHERE id = origin`,
      weekOf(day),
    );
    for (const row of rows) {
      const [from] = row;
      if (from === domain || from.endsWith(`.${domain}`)) yield seenIn(row);
    }
  }

  /** How many reports there are of a domain from a day on, and the first and last day they speak of. */
  extent(
    domain: string,
    from = 0,
  ): {
    readonly reports: number;
    readonly receivers: number;
    readonly days: number;
    readonly firstDay: number | undefined;
    readonly lastDay: number | undefined;
  } {
    const [row] = this.#sql.all<{
      reports: number;
      receivers: number;
      days: number;
      first: number | null;
      last: number | null;
    }>(
      "SELECT count(*) AS reports, count(DISTINCT receiver) AS receivers, count(DISTINCT first / 86400) AS days, min(first) AS first, max(first) AS last FROM report WHERE (domain = ? OR ? LIKE '%.' || domain) AND first >= ?",
      ...[domain, domain, from * DAY],
    ) as [{ reports: number; receivers: number; days: number; first: number | null; last: number | null }];
    return {
      reports: Number(row.reports),
      receivers: Number(row.receivers),
      days: Number(row.days),
      firstDay: row.first === null ? undefined : Math.floor(Number(row.first) / DAY),
      lastDay: row.last === null ? undefined : Math.floor(Number(row.last) / DAY),
    };
  }

  /** Names that reports speak of: senders' domains, return paths, and where the keys are that signed; they are not checked. */
  names(): string[] {
    const rows = this.#sql.all<{ name: string }>(
      `SELECT from_domain AS name FROM origin UNION SELECT envelope FROM origin UNION SELECT spf_domain FROM origin
       UNION SELECT selector || '._domainkey.' || signer FROM origin WHERE selector <> '' AND signer <> ''`,
    );
    return rows.map(({ name }) => name).filter((name) => name !== "");
  }

  close(): void {
    this.#sql.close();
  }
}

export const REPORTS_FORM: DatabaseForm = {
  title: "the reports",
  holds: "what the reports imported so far said; importing them again brings it back",
  format: 3,
  // Taking reports in again costs nothing.
  synchronous: "NORMAL",
  schema: `
    CREATE TABLE IF NOT EXISTS report (
      receiver TEXT NOT NULL, email TEXT NOT NULL, report TEXT NOT NULL, domain TEXT NOT NULL,
      first INTEGER NOT NULL, last INTEGER NOT NULL, policy TEXT NOT NULL, rows INTEGER NOT NULL, messages INTEGER NOT NULL,
      UNIQUE (receiver, report, domain, first, last)
    ) STRICT;
    CREATE TABLE IF NOT EXISTS origin (
      id INTEGER PRIMARY KEY, key TEXT NOT NULL UNIQUE, from_domain TEXT NOT NULL, ip TEXT NOT NULL, signer TEXT NOT NULL,
      selector TEXT NOT NULL, spf_domain TEXT NOT NULL, envelope TEXT NOT NULL, dkim_aligned INTEGER NOT NULL,
      spf_aligned INTEGER NOT NULL, signer_passes INTEGER NOT NULL, spf_passes INTEGER NOT NULL, overrides TEXT NOT NULL
    ) STRICT;
    CREATE TABLE IF NOT EXISTS tally (
      origin INTEGER NOT NULL, week INTEGER NOT NULL, disposition TEXT NOT NULL, count INTEGER NOT NULL,
      PRIMARY KEY (origin, week, disposition)
    ) STRICT, WITHOUT ROWID;
    CREATE TABLE IF NOT EXISTS arrived (
      receiver TEXT NOT NULL, domain TEXT NOT NULL, first INTEGER NOT NULL, last INTEGER NOT NULL, messages INTEGER NOT NULL
    ) STRICT;
    CREATE TABLE IF NOT EXISTS failure (
      key TEXT PRIMARY KEY, from_domain TEXT NOT NULL, at INTEGER NOT NULL, detail TEXT NOT NULL
    ) STRICT, WITHOUT ROWID;
  `,
};

/** The same in PostgreSQL. */
export const POSTGRES_REPORTS: PostgresForm = {
  title: "the reports",
  format: 3,
  schema: `
    CREATE TABLE IF NOT EXISTS report (
      receiver text NOT NULL, email text NOT NULL, report text NOT NULL, domain text NOT NULL,
      first bigint NOT NULL, last bigint NOT NULL, policy text NOT NULL, rows bigint NOT NULL, messages bigint NOT NULL,
      UNIQUE (receiver, report, domain, first, last)
    );
    CREATE TABLE IF NOT EXISTS origin (
      id bigint GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY, key text NOT NULL UNIQUE, from_domain text NOT NULL, ip text NOT NULL,
      signer text NOT NULL, selector text NOT NULL, spf_domain text NOT NULL, envelope text NOT NULL, dkim_aligned integer NOT NULL,
      spf_aligned integer NOT NULL, signer_passes integer NOT NULL, spf_passes integer NOT NULL, overrides text NOT NULL
    );
    CREATE TABLE IF NOT EXISTS tally (
      origin bigint NOT NULL, week bigint NOT NULL, disposition text NOT NULL, count bigint NOT NULL,
      PRIMARY KEY (origin, week, disposition)
    );
    CREATE TABLE IF NOT EXISTS arrived (
      receiver text NOT NULL, domain text NOT NULL, first bigint NOT NULL, last bigint NOT NULL, messages bigint NOT NULL
    );
    CREATE TABLE IF NOT EXISTS failure (
      key text PRIMARY KEY, from_domain text NOT NULL, at bigint NOT NULL, detail text NOT NULL
    );
  `,
};

/** Reports in PostgreSQL. */
export const reportsIn = (sql: Sql): ReportStore => new ReportStore(sql, POSTGRES);

/** Opens the reports of a workspace, creating the file where there is none. */
export const openReportStore = (path: string): ReportStore => new ReportStore(sqliteSql(path, REPORTS_FORM));
