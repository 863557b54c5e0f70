export const hasPostgres: boolean;

export interface Postgres {
  readonly url: string;
  start(): Promise<void>;
  /** Runs statements, and hands back the rows of the last one. */
  ask(sql: string): Promise<unknown[]>;
  /** Starts it later, by somebody else: whoever waits here can do nothing. */
  startIn(seconds: number): void;
  /** Ends it as a crash does. */
  stop(): Promise<void>;
  close(): Promise<void>;
}

/** Makes a cluster with a password in a temporary folder, and starts it. */
export function startPostgres(): Promise<Postgres>;
