import pg from "pg";

type Connected = ((error: Error) => void) | ((error: null, client: pg.Client) => void);

/**
 * A connection to PostgreSQL as everything here makes one. One that comes to nothing is closed at once: whoever answers there may not do
 * so, and a connection that is open keeps the program from its end.
 */
export class PostgresClient extends pg.Client {
  constructor(config: pg.ClientConfig = {}) {
    super({ connectionTimeoutMillis: 10_000, application_name: "zandrel", ...config });
    // One that breaks while nobody uses it is told with the next question.
    this.on("error", () => undefined);
  }

  override connect(): Promise<pg.Client>;
  override connect(callback: Connected): void;
  override connect(callback?: Connected): Promise<pg.Client> | undefined {
    const connected = super.connect().catch((error: unknown) => {
      (this as unknown as { readonly connection: pg.Connection }).connection.stream.destroy();
      throw error;
    });
    if (callback === undefined) return connected;
    const tell = callback as (error?: unknown) => void;
    void connected.then(() => tell(), tell);
    return undefined;
  }
}
