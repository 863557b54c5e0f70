import { existsSync, rmSync } from "node:fs";
import { join } from "node:path";
import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { type DomainName, withoutRootDot } from "../../core/name/index.ts";
import { lockWorkspace, readText, replaceFile, type Waiting } from "../../workspace/index.ts";

const grant = z.strictObject({
  /** The provider and the services whose templates may be applied. */
  provider: z.string(),
  services: z.array(z.string()),
  /** The interface of the host that granted it; no other is ever shown the token. */
  api: z.string(),
  /** Where the grant is renewed, and given back where the host takes it back. */
  token: z.string(),
  refresh: z.string().optional(),
  /** When the access token ends, in milliseconds since 1970. */
  until: z.number().optional(),
  tokenEndpoint: z.string(),
  revocationEndpoint: z.string().optional(),
  client: z.string(),
});
/** What a person granted at a DNS host, kept in `keys/` and never shown. */
export type Grant = z.output<typeof grant>;

const file = z.strictObject({ version: z.literal(1), grants: z.array(grant) });

/** Where the grants for a domain at a host are kept. */
const grantPath = (folder: string, host: string, domain: DomainName): string =>
  join(folder, "keys", "approvals", host, `${withoutRootDot(domain)}.json`);

/** The grants for a domain at a host; none where nobody granted anything. */
export function readGrants(folder: string, host: string, domain: DomainName): readonly Grant[] {
  const path = grantPath(folder, host, domain);
  if (!existsSync(path)) return [];
  let kept: unknown;
  try {
    kept = JSON.parse(readText(path, "utf8", 1 << 20));
  } catch (error) {
    if (error instanceof Failure) throw error;
  }
  const read = file.safeParse(kept);
  if (!read.success) throw new Failure("grant-broken", { path });
  return read.data.grants;
}

/** Changes the grants for a domain at a host, mode 0600; without any the file goes. Other processes wait meanwhile. */
export const changeGrants = (
  folder: string,
  host: string,
  domain: DomainName,
  waiting: Waiting,
  change: (grants: readonly Grant[]) => readonly Grant[],
): Promise<void> =>
  lockWorkspace(folder, waiting, () => {
    const path = grantPath(folder, host, domain);
    const grants = change(readGrants(folder, host, domain));
    if (grants.length === 0) rmSync(path, { force: true });
    else replaceFile(path, `${JSON.stringify({ version: 1, grants }, null, 2)}\n`, { mode: 0o600 });
  });
