import { describe } from "@jest/globals";
import { hasPostgres } from "./postgres-server.mjs";

/** With ZANDREL_REQUIRE_SERVERS=1 a PostgreSQL that is missing is a failure. */
if (!hasPostgres && process.env.ZANDREL_REQUIRE_SERVERS === "1") throw new Error("PostgreSQL is required and not installed");
export const describePostgres = hasPostgres ? describe : describe.skip;

export { type Postgres, startPostgres } from "./postgres-server.mjs";
