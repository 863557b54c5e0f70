import { readFileSync } from "node:fs";
import { hostname } from "node:os";
import type { Clause } from "../core/clause/index.ts";
import type { NoticeKind, WatchedKind } from "../core/guard/index.ts";
import type { RecordSet } from "../core/record/index.ts";
import type { CacheWindow } from "../core/spread/index.ts";
import { toldWithoutSecrets } from "../secrets.ts";
import type { AskEntry } from "./ask-entry.ts";
import type { DatabaseForm } from "./database.ts";
import type { PostgresForm } from "./postgres-sql.ts";
import { type Sql, sqliteSql, transaction } from "./sql.ts";

/** One record set of a publication, whole, as it was and as it is to be. */
export interface JournalledChange {
  readonly action: string;
  readonly name: string;
  readonly type: string;
  readonly before?: RecordSet;
  readonly after?: RecordSet;
  readonly asks: readonly string[];
  readonly cacheWindow?: CacheWindow;
}

/** How a publication ended: carried out, not carried out, or nobody can say yet. */
export type PublicationEnd = "published" | "not-published" | "unknown";

/** What the journal remembers. Each entry is one member; entries are added and never changed. */
export type JournalEvent =
  | {
      readonly kind: "ask-noted";
      readonly ask: string;
      readonly service: string;
      readonly purpose: string;
      readonly records: string;
    }
  | {
      readonly kind: "publication-opened";
      readonly way: string;
      readonly to: string;
      readonly changes: readonly JournalledChange[];
      /** Where it goes: the zone file, or the server that is sent the update. */
      readonly file?: string;
      readonly server?: string;
      /** Until when it may be under way, even after the process is gone; milliseconds since 1970. */
      readonly until?: number;
      /** What stood beside the changes before them, so that it is seen when too much was deleted. */
      readonly beside?: readonly RecordSet[];
      /** The publication this one takes back. */
      readonly undoes?: number;
    }
  | {
      readonly kind: "publication-closed";
      readonly opened: number;
      readonly end: PublicationEnd;
      readonly because: Clause;
      /** Why nothing was done: conflict, refused, unauthenticated, unreachable, not-set-up. */
      readonly reason?: string;
      /** Whether the end was found by looking at the zone later, because the process did not live to see it. */
      readonly looked?: boolean;
    }
  /** What was deleted beside a publication was meant to go. */
  | { readonly kind: "deletion-meant"; readonly records: readonly RecordSet[] }
  | {
      readonly kind: "ask-retired";
      readonly ask: string;
      readonly because: Clause;
      /** As it stood in its file, and the publication that took its records away: who takes that back gets the ask back too. */
      readonly entry?: AskEntry;
      readonly publication?: number;
    }
  /** Includes were replaced by the addresses they stood for. */
  | {
      readonly kind: "spf-flattened";
      readonly record: string;
      readonly sources: readonly { readonly term: string; readonly addresses: readonly string[] }[];
    }
  /** Mail is signed with another selector from then on. */
  | { readonly kind: "key-switched"; readonly from: string; readonly to: string }
  | {
      /** DS records at the parent: seen, or seen to be gone; `ttl` is the one they have or had, in seconds. */
      readonly kind: "ds-seen";
      readonly ttl: number;
      readonly gone: boolean;
    }
  | { readonly kind: "delegation-seen"; readonly host: string; readonly servers: readonly string[] }
  | { readonly kind: "settled"; readonly ask: string; readonly wanted: string }
  | {
      readonly kind: "asked-service";
      readonly ask: string;
      readonly service: string;
      readonly answer: "accepted" | "not-yet" | "failed";
      readonly reason: Clause;
    }
  /** A sender address or a domain at a service, as the service said or the user recorded. */
  | {
      readonly kind: "sender-state";
      readonly service: string;
      /** The address; undefined where it is about the whole domain. */
      readonly address?: string;
      readonly state: string;
      readonly by: "service" | "user";
      readonly note: string;
      /** The day the user names, where it is another than that of the entry. */
      readonly on?: string;
    }
  /** A credential was made, or kept that somebody made by hand; `kept` says where, as in zandrel.yaml. */
  | {
      readonly kind: "credential-kept";
      readonly service: string;
      readonly credential: string;
      readonly scope: string;
      readonly user: string;
      readonly kept: string;
    }
  | { readonly kind: "credential-revoked"; readonly service: string; readonly credential: string }
  | {
      readonly kind: "events-subscribed";
      readonly service: string;
      readonly subscription: string;
      readonly url: string;
      readonly kept: string;
    }
  | {
      readonly kind: "message-sent";
      readonly service: string;
      readonly from: string;
      readonly to: string;
      readonly messageId: string;
      /** What the service follows it by. */
      readonly tracking: string;
      readonly via: string;
      readonly reply: string;
    }
  | {
      readonly kind: "message-followed";
      readonly messageId: string;
      readonly state: string;
      readonly reply: string;
    }
  /** Aggregate reports came in that were not there before; `begin` and `end` of all their days, in seconds since 1970. */
  | {
      readonly kind: "reports-taken";
      readonly reports: number;
      readonly messages: number;
      /** The first few of those who sent them, as they call themselves, and how many others did. */
      readonly receivers: readonly string[];
      readonly others: number;
      readonly begin: number;
      readonly end: number;
    }
  /** What a dossier said of a domain, so that the next one can say what changed. */
  | { readonly kind: "dossier-made"; readonly findings: readonly string[]; readonly states: Readonly<Record<string, string>> }
  /** The guard watches a domain from then on. */
  | { readonly kind: "guard-began" }
  /** A watched thing is otherwise than it was; only changes are kept. */
  | { readonly kind: "watched"; readonly about: string; readonly state: string; readonly level: "fine" | "soon" | "bad" }
  | {
      readonly kind: "notice";
      readonly notice: NoticeKind;
      /** What it is about: its kind, and what it is called. */
      readonly watched: WatchedKind;
      readonly subject: string;
      readonly because: Clause;
      readonly next: Clause;
    }
  /** Notices were told in one way, or could not be. */
  | {
      readonly kind: "notices-told";
      readonly notices: readonly number[];
      /** What people call whoever was told, and what tells them from others of that name. */
      readonly way: Clause;
      readonly key: string;
      readonly told: boolean;
      readonly because: Clause;
      /** Told again to somebody else, because nobody mended it. */
      readonly escalated?: boolean;
    }
  | {
      readonly kind: "proven";
      readonly ask: string;
      readonly wanted: string;
      readonly by: "service" | "user";
      /** What the service, or the person, said. */
      readonly because?: Clause;
      /** The records that were proven, as zone-file lines. */
      readonly evidence: string;
    };

export type JournalKind = JournalEvent["kind"];

/** An entry as it is read back; `at` in milliseconds since 1970. */
export type JournalEntry<K extends JournalKind = JournalKind> = Extract<JournalEvent, { kind: K }> & {
  readonly id: number;
  readonly at: number;
  readonly domain: string;
};

/** A publication that was opened, with its end where it has one. */
export interface Publication {
  readonly opened: JournalEntry<"publication-opened">;
  readonly closed: JournalEntry<"publication-closed"> | undefined;
  /** Whether the process that opened it still runs on this machine. */
  readonly running: boolean;
}

interface Row {
  readonly id: number;
  readonly at: number;
  readonly domain: string;
  readonly kind: JournalKind;
  readonly process: string;
  readonly detail: string;
}

/** The append-only record of what was asked, published, observed and proven. */
export class Journal {
  readonly #sql: Sql;

  constructor(sql: Sql) {
    this.#sql = sql;
  }

  /** Adds an entry and gives back its number. When it returns, the entry is on the disk. */
  append(at: number, domain: string, event: JournalEvent): number {
    const { kind, ...detail } = event;
    const [row] = this.#sql.all<{ id: number }>(
      "INSERT INTO entry (at, domain, kind, process, detail) VALUES (?, ?, ?, ?, ?) RETURNING id",
      ...[at, domain, kind, OWN_PROCESS, JSON.stringify(detail, toldWithoutSecrets)],
    );
    return Number(row?.id);
  }

  #rows<K extends JournalKind>(domain: string | undefined, kinds: readonly K[]): Row[] {
    const places = kinds.map(() => "?").join(", ");
    const where = domain === undefined ? "" : "AND domain = ?";
    return this.#sql.all<Row>(
      `SELECT id, at, domain, kind, process, detail FROM entry WHERE kind IN (${places}) ${where} ORDER BY id`,
      ...[...kinds, ...(domain === undefined ? [] : [domain])],
    );
  }

  /** The entries of some kinds, oldest first, of one domain or of all. */
  entries<K extends JournalKind>(domain: string | undefined, ...kinds: K[]): JournalEntry<K>[] {
    return this.#rows(domain, kinds).map((row) => ({
      ...JSON.parse(row.detail),
      kind: row.kind,
      id: row.id,
      at: row.at,
      domain: row.domain,
    }));
  }

  /** Every publication of a domain, oldest first. */
  publications(domain: string | undefined): Publication[] {
    const closings = new Map(this.entries(domain, "publication-closed").map((closed) => [closed.opened, closed]));
    return this.#rows(domain, ["publication-opened"]).map((row) => ({
      opened: { ...JSON.parse(row.detail), kind: row.kind, id: row.id, at: row.at, domain: row.domain },
      closed: closings.get(row.id),
      running: isRunning(row.process),
    }));
  }

  /** Runs `work` while no other Zandrel process writes to the workspace; what it appends is kept as a whole or not at all. */
  exclusively<T>(work: () => T): T {
    return transaction(this.#sql, work);
  }

  close(): void {
    this.#sql.close();
  }
}

/** When a process began, in ticks since the machine did (proc(5), field 22 of stat); undefined where that cannot be told. */
function startOf(pid: string | number): string | undefined {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, "latin1");
    // The name of the program, in parentheses, may hold spaces and parentheses itself.
    return stat.slice(stat.lastIndexOf(")") + 2).split(" ")[19];
  } catch {
    return undefined;
  }
}

const OWN_PROCESS = `${process.pid}.${startOf(process.pid) ?? ""}@${hostname()}`;

/** Whether the process that made an entry still runs here. Its number alone may belong to another by now; with its start it does not. */
function isRunning(owner: string): boolean {
  if (owner === OWN_PROCESS) return true;
  const [, pid = "", start = "", host = ""] = /^(\d+)\.?(\d*)@(.*)$/s.exec(owner) ?? [];
  if (host !== hostname()) return false;
  try {
    process.kill(Number(pid), 0);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "EPERM") return false;
  }
  return start === "" || startOf(pid) === start;
}

export const JOURNAL_FORM: DatabaseForm = {
  title: "the journal",
  holds: "what was published, proven and sent so far; what is asked for stands in the domains folder and is not touched",
  format: 1,
  synchronous: "FULL",
  schema: `
    CREATE TABLE IF NOT EXISTS entry (
      id INTEGER PRIMARY KEY AUTOINCREMENT,
      at INTEGER NOT NULL,
      domain TEXT NOT NULL,
      kind TEXT NOT NULL,
      process TEXT NOT NULL,
      detail TEXT NOT NULL
    ) STRICT;
    CREATE INDEX IF NOT EXISTS entry_of_domain ON entry (domain, kind);
    CREATE TRIGGER IF NOT EXISTS entry_stays BEFORE UPDATE ON entry BEGIN SELECT RAISE(ABORT, 'the journal is append-only'); END;
    CREATE TRIGGER IF NOT EXISTS entry_is_kept BEFORE DELETE ON entry BEGIN SELECT RAISE(ABORT, 'the journal is append-only'); END;
  `,
};

/** The same in PostgreSQL. */
export const POSTGRES_JOURNAL: PostgresForm = {
  title: "the journal",
  format: 1,
  schema: `
    CREATE TABLE IF NOT EXISTS entry (
      id bigint GENERATED BY DEFAULT AS IDENTITY PRIMARY KEY,
      at bigint NOT NULL,
      domain text NOT NULL,
      kind text NOT NULL,
      process text NOT NULL,
      detail text NOT NULL
    );
    CREATE INDEX IF NOT EXISTS entry_of_domain ON entry (domain, kind);
    CREATE OR REPLACE FUNCTION stays() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'the journal is append-only'; END $$;
    CREATE OR REPLACE TRIGGER entry_stays BEFORE UPDATE OR DELETE OR TRUNCATE ON entry EXECUTE FUNCTION stays();
  `,
};

/** Opens the journal, creating it where there is none. Another process may have it open at the same time. */
export const openJournal = (path: string): Journal => new Journal(sqliteSql(path, JOURNAL_FORM));
