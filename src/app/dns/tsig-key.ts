import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { DomainName } from "../../core/name/index.ts";
import type { TsigKey } from "../../net/index.ts";
import { readSecret } from "../../workspace/index.ts";

/**
 * The TSIG key that zandrel.yaml names, with its secret from where it is kept.
 *
 * @param host whose key it is, for errors
 */
export function tsigKey(
  { name, algorithm, secret }: { readonly name: DomainName; readonly algorithm: TsigKey["algorithm"]; readonly secret: string },
  host: string,
  folder: string,
  env: Readonly<Record<string, string | undefined>>,
): TsigKey {
  const text = readSecret(secret, clause("secret-tsig", { title: host }), folder, env);
  if (!/^[A-Za-z0-9+/]+={0,2}$/.test(text)) throw new Failure("tsig-base64", { place: secret, host });
  return { name, algorithm, secret: Buffer.from(text, "base64") };
}
