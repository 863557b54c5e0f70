import type Database from "libsql";
import { type ReportHead, type ReportRow, type Seen, weekOf } from "../core/aggregate/index.ts";
import type { DomainName } from "../core/name/index.ts";
import { type DatabaseForm, openDatabase } from "./database.ts";

const DAY = 86_400;

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

interface Sum {
  readonly key: string;
  readonly fields: Fields;
  readonly disposition: string;
  count: number;
}

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

/** A row of `since`: the columns of an origin in the order of {@link Fields}, and its weeks in one text. */
type Joined = readonly [...Fields, weeks: string];

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
    counts: countsIn(weeks),
  };
}

/** Reads “week*4+disposition count week*4+disposition count …”; by hand, because there are millions. */
function countsIn(weeks: string): number[] {
  const counts: number[] = [];
  let number = 0;
  let isCount = false;
  for (let i = 0; i <= weeks.length; i++) {
    const digit = weeks.charCodeAt(i) - 48;
    if (digit >= 0) {
      number = number * 10 + digit;
      continue;
    }
    if (isCount) counts.push(number);
    else counts.push(Math.floor(number / 4), number % 4);
    isCount = !isCount;
    number = 0;
  }
  return counts;
}

/**
 * What aggregate reports say, summed up by week: one SQLite file beside the journal. Millions of rows of reports
 * become the few that differ. A report counts once, and is kept as a whole or not at all.
 */
export class ReportStore {
  readonly #database: Database.Database;
  readonly #origins = new Map<string, number>();

  constructor(database: Database.Database) {
    this.#database = database;
  }

  /** The numbers of origins; those that are new get one. All in two statements, because there may be many. */
  #number(unknown: readonly Sum[]): void {
    const list = JSON.stringify(unknown.map(({ fields, key }) => [key, ...fields]));
    this.#database
      .prepare(
        `INSERT OR IGNORE INTO origin (key, from_domain, ip, signer, selector, spf_domain, envelope, dkim_aligned, spf_aligned, signer_passes, spf_passes, overrides)
         SELECT value ->> 0, value ->> 1, value ->> 2, value ->> 3, value ->> 4, value ->> 5, value ->> 6, value ->> 7, value ->> 8, value ->> 9, value ->> 10, value ->> 11 FROM json_each(?)`,
      )
      .run(list);
    const numbers = this.#database
      .prepare("SELECT key, id FROM origin WHERE key IN (SELECT value FROM json_each(?))")
      .all(JSON.stringify(unknown.map(({ key }) => key))) as { key: string; id: number }[];
    for (const { key, id } of numbers) this.#origins.set(key, id);
  }

  /** Rows that are alike, added to those of the report that is being read. */
  #stage(sums: Map<string, Sum>): void {
    if (this.#origins.size > MAX_NUMBERED) this.#origins.clear();
    const unknown = [...sums.values()].filter(({ key }) => !this.#origins.has(key));
    if (unknown.length > 0) this.#number(unknown);
    const list = JSON.stringify(
      [...sums.values()].map(({ key, disposition, count }) => [this.#origins.get(key), disposition, count]),
    );
    this.#database.prepare("INSERT INTO temp.staged SELECT value ->> 0, value ->> 1, value ->> 2 FROM json_each(?)").run(list);
    sums.clear();
  }

  /**
   * Takes one report in: `read` hands over its rows and ends with its head, or with undefined where the report
   * is to be set aside. Nothing of it stays then.
   */
  async take(read: (row: (one: ReportRow) => void) => Promise<ReportHead | undefined>): Promise<"taken" | "known" | "set-aside"> {
    const sums = new Map<string, Sum>();
    let rows = 0;
    let messages = 0;
    this.#database.exec("BEGIN IMMEDIATE");
    try {
      this.#database.exec("DELETE FROM temp.staged");
      const head = await read((row) => {
        rows += 1;
        messages += row.count;
        const fields = fieldsOf(row);
        const key = fields.join("|");
        const same = sums.get(row.disposition + key);
        if (same === undefined) sums.set(row.disposition + key, { key, fields, disposition: row.disposition, count: row.count });
        else same.count += row.count;
        if (sums.size >= MAX_STAGED) this.#stage(sums);
      });
      if (head === undefined) {
        this.#rollback();
        return "set-aside";
      }
      this.#stage(sums);
      const { changes } = this.#database
        .prepare(
          "INSERT OR IGNORE INTO report (receiver, email, report, domain, first, last, policy, rows, messages) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .run(head.receiver.toLowerCase(), head.email, head.id, head.domain, head.begin, head.end, head.policy, rows, messages);
      if (Number(changes) === 0) {
        this.#rollback();
        return "known";
      }
      this.#database
        .prepare(
          `INSERT INTO tally SELECT origin, ?, disposition, sum(count) FROM temp.staged WHERE true GROUP BY origin, disposition ORDER BY origin
           ON CONFLICT (origin, week, disposition) DO UPDATE SET count = count + excluded.count`,
        )
        .run(weekOf(Math.floor(head.begin / DAY)));
      this.#database.exec("COMMIT");
      return "taken";
    } catch (error) {
      this.#rollback();
      throw error;
    }
  }

  #rollback(): void {
    // Numbers given out in a transaction that is taken back are not good any more.
    this.#origins.clear();
    if (this.#database.inTransaction) this.#database.exec("ROLLBACK");
  }

  /** Everything seen of a From domain and below in the weeks from a day on; the day of a count is the Monday of its week. */
  *since(domain: string, day: number): Generator<Seen> {
    // One row an origin, its weeks in one text: millions of rows are slow to hand over one by one.
    const rows = this.#database
      .prepare(
        `SELECT from_domain, ip, signer, selector, spf_domain, envelope, dkim_aligned, spf_aligned, signer_passes, spf_passes, overrides, weeks
         FROM (SELECT origin, group_concat((week * 4 + instr('qr', substr(disposition, 1, 1))) || ' ' || count, ' ') AS weeks
               FROM tally WHERE week >= ? GROUP BY origin)
         CROSS JOIN origin ON id = origin`,
      )
      .raw(true)
      .iterate(weekOf(day)) as unknown as IterableIterator<Joined>;
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
    const row = this.#database
      .prepare(
        "SELECT count(*) AS reports, count(DISTINCT receiver) AS receivers, count(DISTINCT first / 86400) AS days, min(first) AS first, max(first) AS last FROM report WHERE (domain = ? OR ? LIKE '%.' || domain) AND first >= ?",
      )
      .get(domain, domain, from * DAY) as {
      reports: number;
      receivers: number;
      days: number;
      first: number | null;
      last: number | null;
    };
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
    const rows = this.#database
      .prepare(
        `SELECT from_domain AS name FROM origin UNION SELECT envelope FROM origin UNION SELECT spf_domain FROM origin
         UNION SELECT selector || '._domainkey.' || signer FROM origin WHERE selector <> '' AND signer <> ''`,
      )
      .all() as { name: string }[];
    return rows.map(({ name }) => name).filter((name) => name !== "");
  }

  close(): void {
    this.#database.close();
  }
}

const FORM: DatabaseForm = {
  title: "the reports",
  holds: "what the reports imported so far said; importing them again brings it back",
  format: 1,
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
  `,
};

/** Opens the reports of a workspace, creating the file where there is none. */
export function openReportStore(path: string): ReportStore {
  const database = openDatabase(path, FORM);
  database.exec("CREATE TEMP TABLE staged (origin INTEGER, disposition TEXT, count INTEGER)");
  return new ReportStore(database);
}
