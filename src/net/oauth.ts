import * as oauth from "oauth4webapi";
import { type Clause, clause } from "../core/clause/index.ts";
import { err, ok, type Result } from "../core/result.ts";
import { fetchBounded, isLoopback, isSafeAddress } from "./fetch-bounded.ts";
import { redacted } from "./redact.ts";

/** Where a DNS host gives grants, renews them and takes them back (RFC 6749, RFC 7009). */
export interface GrantServer {
  readonly authorize: string;
  readonly token: string;
  readonly revocation?: string;
  /** Who issues grants, where its metadata says so (RFC 8414, RFC 9207). */
  readonly issuer?: string;
}

/** Who asks for a grant: a program on somebody's machine, with a secret only where the host wants one. */
export interface GrantClient {
  readonly id: string;
  readonly secret?: string;
}

/** What a host handed out; `until` in milliseconds since 1970. */
export interface Tokens {
  readonly access: string;
  readonly refresh?: string;
  readonly until?: number;
  /** What it is for, where the server says so: less than was asked for, perhaps (RFC 6749 section 5.1). */
  readonly scope?: readonly string[];
}

const MAX_ANSWER = 64 << 10;

/** Asks through the one bounded way; loopback may be asked without TLS, everybody else may not. */
const asking = (timeout: number) => ({
  [oauth.allowInsecureRequests]: true,
  [oauth.customFetch]: async (
    url: string,
    { method, headers, body }: { method: string; headers: Record<string, string>; body?: unknown },
  ) => {
    const answer = await fetchBounded(url, {
      timeout,
      most: MAX_ANSWER,
      method,
      headers: Object.fromEntries(new Headers(headers)),
      ...(body === undefined || body === null ? {} : { body: String(body) }),
    });
    if (!answer.ok) throw new GrantUnanswered(answer.error);
    const { status, body: octets, contentType } = answer.value;
    // Whoever is busy or broken has not said no (RFC 7009 section 2.2.1, RFC 6585 section 4).
    if (status === 429 || status >= 500) throw new GrantUnanswered(clause("peer-http-status", { status }));
    return new Response(status === 204 ? null : new Uint8Array(octets), { status, headers: { "content-type": contentType } });
  },
});

class GrantUnanswered extends Error {
  readonly because: Clause;
  constructor(because: Clause) {
    super(because.clause);
    this.because = because;
  }
}

const serverOf = ({ authorize, token, revocation, issuer }: GrantServer): oauth.AuthorizationServer => ({
  issuer: issuer ?? new URL(token).origin,
  authorization_endpoint: authorize,
  token_endpoint: token,
  ...(revocation === undefined ? {} : { revocation_endpoint: revocation }),
});
const proofOf = ({ secret }: GrantClient) => (secret === undefined ? oauth.None() : oauth.ClientSecretPost(secret));

/** Why a grant server did not do what it was asked: it could not be asked, or it said no. */
export interface GrantFailure {
  readonly kind: "unanswered" | "refused";
  readonly because: Clause;
}

/** What is asked of a grant server; a failure is told in the standard's error codes, and never with a secret that it echoes. */
async function attempt<T>(secrets: readonly (string | undefined)[], work: () => Promise<T>): Promise<Result<T, GrantFailure>> {
  try {
    return ok(await work());
  } catch (error) {
    if (error instanceof GrantUnanswered) return err({ kind: "unanswered", because: error.because });
    const because =
      error instanceof oauth.ResponseBodyError || error instanceof oauth.AuthorizationResponseError
        ? clause("peer-grant-error", {
            error: redacted(error.error, secrets),
            said: error.error_description === undefined ? undefined : redacted(error.error_description, secrets),
          })
        : clause("peer-grant-form");
    return err({ kind: "refused", because });
  }
}

/** The metadata of a grant server, where it has some: it says where grants are renewed and taken back. */
export async function readGrantMetadata(base: string, timeout: number): Promise<Partial<GrantServer>> {
  try {
    const issuer = new URL(base);
    const response = await oauth.discoveryRequest(issuer, { algorithm: "oauth2", ...asking(timeout) });
    const server = await oauth.processDiscoveryResponse(issuer, response);
    // Nobody may lead from the outside to this machine, nor from its own services to the outside.
    const fits = (address: string | undefined): address is string =>
      address !== undefined && isSafeAddress(address) && isLoopback(new URL(address).hostname) === isLoopback(issuer.hostname);
    return {
      issuer: server.issuer,
      ...(fits(server.authorization_endpoint) ? { authorize: server.authorization_endpoint } : {}),
      ...(fits(server.token_endpoint) ? { token: server.token_endpoint } : {}),
      ...(fits(server.revocation_endpoint) ? { revocation: server.revocation_endpoint } : {}),
    };
  } catch {
    // It is optional; without it the places that the set-up protocol names are taken.
    return {};
  }
}

/** A request for a grant on its way: the page to open, and the secret half of its proof (RFC 7636). */
export interface GrantRequest {
  readonly page: string;
  readonly verifier: string;
}

/** Makes a request for a grant with a proof key. */
export async function requestGrant(
  { authorize }: GrantServer,
  client: GrantClient,
  { redirect, state, scope, more }: { redirect: string; state: string; scope: string; more: Readonly<Record<string, string>> },
): Promise<GrantRequest> {
  const verifier = oauth.generateRandomCodeVerifier();
  const page = new URL(authorize);
  for (const [key, value] of Object.entries({
    ...more,
    client_id: client.id,
    redirect_uri: redirect,
    response_type: "code",
    scope,
    state,
    code_challenge: await oauth.calculatePKCECodeChallenge(verifier),
    code_challenge_method: "S256",
  }))
    page.searchParams.set(key, value);
  return { page: page.href, verifier };
}

const tokensOf = (answer: oauth.TokenEndpointResponse, now: number): Tokens => ({
  access: answer.access_token,
  ...(answer.refresh_token === undefined ? {} : { refresh: answer.refresh_token }),
  ...(answer.expires_in === undefined ? {} : { until: now + answer.expires_in * 1000 }),
  ...(answer.scope === undefined ? {} : { scope: answer.scope.split(" ").filter((word) => word !== "") }),
});

/** Exchanges what the browser brought back for a grant; a wrong state or a refusal ends it. */
export const takeGrant = (
  server: GrantServer,
  client: GrantClient,
  back: URL,
  {
    state,
    redirect,
    verifier,
    now,
    timeout,
  }: { state: string; redirect: string; verifier: string; now: number; timeout: number },
): Promise<Result<Tokens, GrantFailure>> =>
  attempt([client.secret, verifier, back.searchParams.get("code") ?? undefined, state], async () => {
    const [as, who] = [serverOf(server), { client_id: client.id }];
    const parameters = oauth.validateAuthResponse(as, who, back, state);
    const how = asking(timeout);
    const response = await oauth.authorizationCodeGrantRequest(as, who, proofOf(client), parameters, redirect, verifier, how);
    return tokensOf(await oauth.processAuthorizationCodeResponse(as, who, response), now);
  });

/** Renews a grant. */
export const renewGrant = (
  server: GrantServer,
  client: GrantClient,
  refresh: string,
  { now, timeout }: { now: number; timeout: number },
): Promise<Result<Tokens, GrantFailure>> =>
  attempt([client.secret, refresh], async () => {
    const [as, who] = [serverOf(server), { client_id: client.id }];
    const response = await oauth.refreshTokenGrantRequest(as, who, proofOf(client), refresh, asking(timeout));
    return { refresh, ...tokensOf(await oauth.processRefreshTokenResponse(as, who, response), now) };
  });

/** Gives a grant back (RFC 7009). */
export const revokeGrant = (
  server: GrantServer,
  client: GrantClient,
  token: string,
  timeout: number,
): Promise<Result<undefined, GrantFailure>> =>
  attempt([client.secret, token], async () => {
    const who = { client_id: client.id };
    const response = await oauth.revocationRequest(serverOf(server), who, proofOf(client), token, asking(timeout));
    await oauth.processRevocationResponse(response);
    return undefined;
  });
