import { DAY_MS } from "../core/day.ts";
import { type DayOfEvents, type EventKind, type MessageEvent, noEvents } from "../core/sending/index.ts";
import type { DatabaseForm } from "./database.ts";
import type { PostgresForm } from "./postgres-sql.ts";
import { type Sql, sqliteSql, transaction } from "./sql.ts";

/** Events that came in one request; the same shape the receiver hands over. */
interface Batch {
  readonly service: string;
  readonly nonce: string;
  readonly signedAt: number;
  readonly events: readonly MessageEvent[];
}

/** What services told about messages: each event once, and never changed. */
export class EventStore {
  readonly #sql: Sql;

  constructor(sql: Sql) {
    this.#sql = sql;
  }

  /**
   * Keeps batches, all of them or none; when it returns they are on the disk. A request that was taken before is
   * refused as a whole, an event that is there already counts once. Times in milliseconds since 1970.
   */
  keep(batches: readonly Batch[], now: number, forgetRequestsBefore: number): ("kept" | "replayed")[] {
    return transaction(this.#sql, () => {
      const outcomes = batches.map(({ service, nonce, signedAt, events }) => {
        const seen = "INSERT INTO request (service, nonce, signed_at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING";
        if (this.#sql.run(seen, service, nonce, signedAt) === 0) return "replayed";
        for (const { id, kind, at, domain, messageId, to, reply } of events)
          this.#sql.run(
            "INSERT INTO event (service, id, kind, at, domain, message_id, recipient, reply, received) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING",
            ...[service, id, kind, Date.parse(at), domain.toLowerCase(), messageId, to, reply ?? null, now],
          );
        return "kept";
      });
      // A request that old is refused by its time, so that nobody needs to remember it.
      this.#sql.run("DELETE FROM request WHERE signed_at < ?", forgetRequestsBefore);
      return outcomes;
    });
  }

  /** How many events of each kind there were, by day, service and domain, since a moment; newest day first. */
  days(since: number): DayOfEvents[] {
    const rows = this.#sql.all<{ day: number; service: string; domain: string; kind: EventKind; number: number }>(
      `SELECT at / ${DAY_MS} AS day, service, domain, kind, count(*) AS number FROM event WHERE at >= ? GROUP BY 1, 2, 3, 4 ORDER BY 1 DESC, 2, 3`,
      since,
    );
    const days = new Map<string, DayOfEvents & { counts: Record<EventKind, number> }>();
    for (const { day, service, domain, kind, number } of rows) {
      const key = `${day} ${service} ${domain}`;
      const known = days.get(key) ?? { day, service, domain, counts: noEvents() };
      known.counts[kind] += number;
      days.set(key, known);
    }
    return [...days.values()];
  }

  /** What was told about one message, oldest first. */
  of(messageId: string): { readonly kind: EventKind; readonly at: number; readonly reply: string | null }[] {
    return this.#sql.all("SELECT kind, at, reply FROM event WHERE message_id = ? ORDER BY at, received, id", messageId);
  }

  close(): void {
    this.#sql.close();
  }
}

export const EVENTS_FORM: DatabaseForm = {
  title: "the events",
  holds: "what services told about messages so far",
  format: 1,
  synchronous: "FULL",
  schema: `
    CREATE TABLE IF NOT EXISTS event (
      service TEXT NOT NULL,
      id TEXT NOT NULL,
      kind TEXT NOT NULL,
      at INTEGER NOT NULL,
      domain TEXT NOT NULL,
      message_id TEXT NOT NULL,
      recipient TEXT NOT NULL,
      reply TEXT,
      received INTEGER NOT NULL,
      UNIQUE (service, id)
    ) STRICT;
    CREATE INDEX IF NOT EXISTS event_of_message ON event (message_id);
    CREATE INDEX IF NOT EXISTS event_of_day ON event (at);
    CREATE TABLE IF NOT EXISTS request (
      service TEXT NOT NULL,
      nonce TEXT NOT NULL,
      signed_at INTEGER NOT NULL,
      PRIMARY KEY (service, nonce)
    ) STRICT, WITHOUT ROWID;
    CREATE INDEX IF NOT EXISTS request_by_time ON request (signed_at);
    CREATE TRIGGER IF NOT EXISTS event_stays BEFORE UPDATE ON event BEGIN SELECT RAISE(ABORT, 'events are append-only'); END;
    CREATE TRIGGER IF NOT EXISTS event_is_kept BEFORE DELETE ON event BEGIN SELECT RAISE(ABORT, 'events are append-only'); END;
  `,
};

/** The same in PostgreSQL. */
export const POSTGRES_EVENTS: PostgresForm = {
  title: "the events",
  format: 1,
  schema: `
    CREATE TABLE IF NOT EXISTS event (
      service text NOT NULL,
      id text NOT NULL,
      kind text NOT NULL,
      at bigint NOT NULL,
      domain text NOT NULL,
      message_id text NOT NULL,
      recipient text NOT NULL,
      reply text,
      received bigint NOT NULL,
      UNIQUE (service, id)
    );
    CREATE INDEX IF NOT EXISTS event_of_message ON event (message_id);
    CREATE INDEX IF NOT EXISTS event_of_day ON event (at);
    CREATE TABLE IF NOT EXISTS request (
      service text NOT NULL,
      nonce text NOT NULL,
      signed_at bigint NOT NULL,
      PRIMARY KEY (service, nonce)
    );
    CREATE INDEX IF NOT EXISTS request_by_time ON request (signed_at);
    CREATE OR REPLACE FUNCTION event_stays() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'events are append-only'; END $$;
    CREATE OR REPLACE TRIGGER event_stays BEFORE UPDATE OR DELETE OR TRUNCATE ON event EXECUTE FUNCTION event_stays();
  `,
};

/** Opens the events, creating the file where there is none. Another process may have it open at the same time. */
export const openEventStore = (path: string): EventStore => new EventStore(sqliteSql(path, EVENTS_FORM));
