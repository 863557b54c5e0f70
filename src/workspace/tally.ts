import { mkdirSync } from "node:fs";
import { dirname } from "node:path";
import Database from "libsql";
import type { ReportHead, ReportRow } from "../core/aggregate/index.ts";
import { UserError } from "../core/user-error.ts";

/** What one server sent as one From domain, in one way of being authenticated, on one day. */
export interface Tallied extends Omit<ReportRow, "count" | "disposition"> {
  /** Days since 1970. */
  readonly day: number;
  readonly disposition: ReportRow["disposition"];
  readonly count: number;
}

const DAY = 86_400;
const FORMAT = 1;

/**
 * What aggregate reports say, summed up by day: one SQLite file beside the journal. Millions of rows of reports
 * become the few that differ. A report counts once, and is kept as a whole or not at all.
 */
export class ReportStore {
  readonly #database: Database.Database;
  readonly #path: string;
  readonly #origins = new Map<string, number>();

  constructor(database: Database.Database, path: string) {
    this.#database = database;
    this.#path = path;
  }

  #guarded<T>(work: () => T): T {
    try {
      return work();
    } catch (error) {
      const { code, message } = error as Error & { code?: string };
      if (code?.startsWith("SQLITE_FULL") || code?.startsWith("SQLITE_IOERR") || /disk is full|disk I\/O/.test(message))
        throw new UserError(
          `${this.#path} cannot be written (the disk is full): make room and run the import again; reports imported so far are kept.`,
        );
      throw error;
    }
  }

  #originOf(row: ReportRow): number {
    const fields = [
      row.from,
      row.ip,
      row.signer ?? "",
      row.selector ?? "",
      row.spfDomain ?? "",
      row.envelope ?? "",
      Number(row.dkimAligned),
      Number(row.spfAligned),
      Number(row.signerPasses),
      Number(row.spfPasses),
      row.overrides.join(" "),
    ];
    const key = fields.join("|");
    const known = this.#origins.get(key);
    if (known !== undefined) return known;
    const { id } = this.#database
      .prepare(
        "INSERT INTO origin (key, from_domain, ip, signer, selector, spf_domain, envelope, dkim_aligned, spf_aligned, signer_passes, spf_passes, overrides) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT (key) DO UPDATE SET key = key RETURNING id",
      )
      .get(key, ...fields) as { id: number };
    if (this.#origins.size > 100_000) this.#origins.clear();
    this.#origins.set(key, id);
    return id;
  }

  /**
   * Takes one report in: `read` hands over its rows and ends with its head, or with undefined where the report
   * is to be set aside. Nothing of it stays then.
   */
  async take(read: (row: (one: ReportRow) => void) => Promise<ReportHead | undefined>): Promise<"taken" | "known" | "set-aside"> {
    const sums = new Map<string, { row: ReportRow; count: number }>();
    const staged: Map<string, number> = new Map();
    let rows = 0;
    let messages = 0;
    this.#guarded(() => this.#database.exec("BEGIN IMMEDIATE"));
    try {
      const flush = (): void => {
        for (const [, { row, count }] of sums) {
          const key = `${this.#originOf(row)} ${row.disposition}`;
          staged.set(key, (staged.get(key) ?? 0) + count);
        }
        sums.clear();
      };
      const head = await read((row) => {
        rows += 1;
        messages += row.count;
        const key = `${row.from} ${row.ip} ${row.disposition} ${row.dkimAligned} ${row.spfAligned} ${row.signer} ${row.selector} ${row.signerPasses} ${row.spfDomain} ${row.spfPasses} ${row.envelope} ${row.overrides}`;
        const same = sums.get(key);
        if (same === undefined) sums.set(key, { row, count: row.count });
        else same.count += row.count;
        if (sums.size >= 5000) flush();
      });
      if (head === undefined) {
        this.#rollback();
        return "set-aside";
      }
      flush();
      const { changes } = this.#database
        .prepare(
          "INSERT OR IGNORE INTO report (receiver, email, report, domain, first, last, policy, rows, messages) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .run(head.receiver.toLowerCase(), head.email, head.id, head.domain, head.begin, head.end, head.policy, rows, messages);
      if (Number(changes) === 0) {
        this.#rollback();
        return "known";
      }
      const day = Math.floor(head.begin / DAY);
      const add = this.#database.prepare(
        "INSERT INTO tally (origin, day, disposition, count) VALUES (?, ?, ?, ?) ON CONFLICT (origin, day, disposition) DO UPDATE SET count = count + excluded.count",
      );
      for (const [key, count] of staged) {
        const [origin, disposition] = key.split(" ");
        add.run(Number(origin), day, disposition, count);
      }
      this.#guarded(() => this.#database.exec("COMMIT"));
      return "taken";
    } catch (error) {
      this.#rollback();
      return this.#guarded(() => {
        throw error;
      });
    }
  }

  #rollback(): void {
    // Numbers given out in a transaction that is taken back are not good any more.
    this.#origins.clear();
    if (this.#database.inTransaction) this.#database.exec("ROLLBACK");
  }

  /** Everything seen of a From domain and below from one day on, the days ascending. */
  *since(domain: string, day: number): Generator<Tallied> {
    const rows = this.#database
      .prepare(
        "SELECT tally.day, tally.disposition, tally.count, origin.* FROM origin JOIN tally ON tally.origin = origin.id WHERE (origin.from_domain = ? OR origin.from_domain LIKE ?) AND tally.day >= ? ORDER BY tally.day",
      )
      .iterate(domain, `%.${domain}`, day) as IterableIterator<Record<string, unknown>>;
    for (const row of rows) {
      const text = (name: string): string | undefined => (row[name] === "" ? undefined : (row[name] as string));
      yield {
        day: Number(row.day),
        disposition: row.disposition as unknown as Tallied["disposition"],
        count: Number(row.count),
        from: row.from_domain as never,
        ip: row.ip as string,
        dkimAligned: Number(row.dkim_aligned) === 1,
        spfAligned: Number(row.spf_aligned) === 1,
        signerPasses: Number(row.signer_passes) === 1,
        spfPasses: Number(row.spf_passes) === 1,
        overrides: (text("overrides")?.split(" ") ?? []) as never,
        ...(text("signer") === undefined ? {} : { signer: text("signer") as never }),
        ...(text("selector") === undefined ? {} : { selector: text("selector") as string }),
        ...(text("spf_domain") === undefined ? {} : { spfDomain: text("spf_domain") as never }),
        ...(text("envelope") === undefined ? {} : { envelope: text("envelope") as never }),
      };
    }
  }

  /** How many reports there are of a domain, and the last day they speak of. */
  extent(domain: string): { readonly reports: number; readonly receivers: number; readonly lastDay: number | undefined } {
    const row = this.#database
      .prepare(
        "SELECT count(*) AS reports, count(DISTINCT receiver) AS receivers, max(first) AS last FROM report WHERE domain = ? OR ? LIKE '%.' || domain",
      )
      .get(domain, domain) as { reports: number; receivers: number; last: number | null };
    return {
      reports: Number(row.reports),
      receivers: Number(row.receivers),
      lastDay: row.last === null ? undefined : Math.floor(Number(row.last) / DAY),
    };
  }

  close(): void {
    this.#database.close();
  }
}

/** Opens the reports of a workspace, creating the file where there is none. */
export function openReportStore(path: string): ReportStore {
  mkdirSync(dirname(path), { recursive: true });
  try {
    const database = new Database(path, { timeout: 10_000 } as Database.Options);
    database.exec("PRAGMA busy_timeout = 10000");
    database.exec("PRAGMA journal_mode = WAL");
    const version = Number((database.prepare("PRAGMA user_version").get() as { user_version: number }).user_version);
    if (version > FORMAT)
      throw new UserError(`${path} was written by a newer Zandrel (report format ${version}): update Zandrel.`);
    if (version < FORMAT)
      database.exec(`
        BEGIN IMMEDIATE;
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
          origin INTEGER NOT NULL, day INTEGER NOT NULL, disposition TEXT NOT NULL, count INTEGER NOT NULL,
          PRIMARY KEY (origin, day, disposition)
        ) STRICT, WITHOUT ROWID;
        PRAGMA user_version = ${FORMAT};
        COMMIT;
      `);
    return new ReportStore(database, path);
  } catch (error) {
    if (error instanceof UserError) throw error;
    throw new UserError(
      `${path} cannot be opened (${(error as Error).message}): check that the folder may be written and the disk has room.`,
    );
  }
}
