export const hasPostgres: boolean;

export interface Postgres {
  readonly url: string;
  start(): Promise<void>;
  /** Runs statements, and hands back the rows of the last one. */
  ask(sql: string): Promise<unknown[]>;
  /** Has it started, and does not wait until it takes questions. */
  launch(): void;
  /** Ends it as a crash does. */
  stop(): Promise<void>;
  close(): Promise<void>;
}

/** Makes a cluster with a password in a temporary folder, and starts it. */
export function startPostgres(): Promise<Postgres>;
