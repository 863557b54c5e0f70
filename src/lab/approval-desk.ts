import { createHash, type KeyObject, randomBytes } from "node:crypto";
import Fastify, { type FastifyInstance, type FastifyReply, type FastifyRequest } from "fastify";
import { fillKit, isGiven } from "../core/kit/index.ts";
import type { Lookup } from "../core/lookup/index.ts";
import { type DomainName, name, parseName, withoutRootDot } from "../core/name/index.ts";
import {
  decodeUtf8,
  isOfType,
  octetsOf,
  type RecordSet,
  type RecordType,
  splitCharacterStrings,
  toSets,
  txtValue,
} from "../core/record/index.ts";
import { isSpf } from "../core/spf/index.ts";
import {
  incomingRecords,
  isSignedBy,
  keyFromPieces,
  kitOfTemplate,
  removedByHost,
  type Template,
} from "../core/template/index.ts";
import type { AuthorityHost } from "./authority.ts";
import { html, page } from "./practice-page.ts";

/** How the desk behaves: as it should, or in one of the ways in which hosts go wrong. */
type DeskMode = "works" | "refuses" | "hangs" | "applies-half" | "lies" | "meddles" | "down";

/** What a person is about to approve, kept until they decide. */
interface Pending {
  readonly domain: DomainName;
  readonly redirect: string | undefined;
  readonly state: string;
  readonly work:
    | { readonly kind: "apply"; readonly plan: Plan }
    | { readonly kind: "grant"; readonly challenge: string; readonly scope: string; readonly client: string };
}

/** What applying a template does to a zone. */
interface Plan {
  readonly add: readonly RecordSet[];
  readonly remove: readonly RecordSet[];
}

interface GrantedToken {
  readonly domain: DomainName;
  readonly services: readonly string[];
  readonly until: number;
}

export interface ApprovalDesk {
  /** Where it listens, as the discovery record says it. */
  readonly place: string;
  mode: DeskMode;
  /** Templates it knows, by provider and service. */
  readonly templates: Map<string, Template>;
  /** Says yes or no on a page, as a person does with one click; gives back where the browser is sent then. */
  decide(link: string, decision?: "approve" | "refuse", comesBack?: boolean): Promise<string | undefined>;
  close(): Promise<void>;
}

/** How long a grant's token is good for, in seconds; it is renewed after that. */
const TOKEN_LIFE = 600;

const random = () => randomBytes(24).toString("base64url");
const key = (provider: string, service: string) => `${provider} ${service}`;

/** Puts SPF terms into the one record of a name, or makes it. */
function withTerms(standing: RecordSet | undefined, apex: DomainName, terms: string): RecordSet {
  const texts =
    standing !== undefined && isOfType(standing, "TXT") ? standing.data.map((data) => decodeUtf8(txtValue(data))) : [];
  const spf = texts.find(isSpf);
  const wanted = terms.split(/\s+/).filter((term) => spf?.split(/\s+/).includes(term) !== true);
  const next =
    spf === undefined ? `v=spf1 ${terms} ~all` : spf.replace(/^v=spf1/i, `v=spf1${wanted.map((term) => ` ${term}`).join("")}`);
  const all = [...texts.filter((text) => text !== spf), next];
  return {
    name: apex,
    type: "TXT",
    ttl: standing?.ttl ?? 3600,
    data: all.map((text) => ({ strings: splitCharacterStrings(octetsOf(text)) })),
  };
}

/** What a desk knows and remembers. */
interface Desk {
  readonly host: AuthorityHost;
  /** The DNS, where the keys are that links are signed with. */
  readonly world: Lookup;
  readonly title: string;
  readonly templates: Map<string, Template>;
  /** Decisions that somebody has to make, by the ticket of their page. */
  readonly pending: Map<string, Pending>;
  readonly codes: Map<string, Pending>;
  readonly tokens: Map<string, GrantedToken>;
  readonly refreshes: Map<string, GrantedToken>;
  /** What stood in a zone before something was applied to it. */
  readonly undo: Map<string, readonly RecordSet[]>;
  mode: DeskMode;
}

const zoneOf = (desk: Desk, text: string | undefined): DomainName | undefined => {
  const parsed = parseName(text ?? "");
  return parsed.ok && desk.host.zones().some(({ apex }) => apex === parsed.value) ? parsed.value : undefined;
};

const setsOf = (desk: Desk, apex: DomainName): RecordSet[] => {
  const zone = desk.host.zones().find((candidate) => candidate.apex === apex);
  return [...(zone?.nodes.values() ?? [])].flatMap((node) => [...node.values()]);
};

/** What a template does to a zone, or why it cannot be applied. */
const planOf = (desk: Desk, template: Template, apex: DomainName, query: Readonly<Record<string, string>>): Plan | string => {
  const { kit } = kitOfTemplate(template);
  const groups = query.groupId?.split(",");
  const asks = kit.asks.filter(({ group }) => groups === undefined || group === undefined || groups.includes(group));
  const values = new Map(
    Object.entries(kit.inputs).flatMap(([input, { variable = input }]) => {
      const value = query[variable];
      return value === undefined ? [] : [[input, value] as const];
    }),
  );
  const needed = {
    ...kit,
    asks,
    inputs: Object.fromEntries(Object.entries(kit.inputs).filter(([input]) => values.has(input))),
  };
  const missing = asks
    .flatMap((ask) => [...`${ask.records}${ask.spf ?? ""}`.matchAll(/\{([a-z0-9-]+)\}/g)].map((match) => match[1] as string))
    .find((blank) => !isGiven(blank) && !values.has(blank));
  if (missing !== undefined) return `the value of ${missing} is missing`;
  if (template.hostRequired === true && (query.host ?? "") === "") return "the host is missing";
  const at = query.host === undefined || query.host === "" ? undefined : parseName(query.host, apex);
  if (at?.ok === false) return "the host cannot be read";
  const filled = fillKit(needed, apex, values, 3600, at?.value ?? apex);
  if (!filled.ok) return "a value does not fit";
  const fresh = toSets(filled.value.asks.flatMap(({ records }) => records));
  const call = { groups: groups ?? [], ...(query.host === undefined ? {} : { host: query.host }), variables: query };
  const incoming = incomingRecords(template.records, call, apex);
  const standing = setsOf(desk, apex);
  const remove = removedByHost(standing, apex, incoming);
  const gone = new Set(remove.flatMap(({ data }) => data));
  const add = fresh.map((set) => {
    // Terms of SPF below the domain are merged as those of the domain itself are.
    const [text] = isOfType(set, "TXT") ? set.data.map((data) => decodeUtf8(txtValue(data))).filter(isSpf) : [];
    if (text !== undefined)
      return withTerms(desk.host.set(apex, set.name, "TXT"), set.name, text.replace(/^v=spf1 /, "").replace(/ ~all$/, ""));
    const there = standing.find((recordSet) => recordSet.name === set.name && recordSet.type === set.type);
    const kept = there?.data.filter((data) => !gone.has(data)) ?? [];
    const known = new Set(kept.map((data) => JSON.stringify(data)));
    return { ...set, data: [...kept, ...set.data.filter((data) => !known.has(JSON.stringify(data)))] };
  });
  const terms = filled.value.asks.flatMap(({ spf }) => spf ?? []).join(" ");
  if (terms !== "") {
    const there =
      add.find((candidate) => candidate.name === apex && candidate.type === "TXT") ?? desk.host.set(apex, apex, "TXT");
    return {
      add: [...add.filter((candidate) => candidate.name !== apex || candidate.type !== "TXT"), withTerms(there, apex, terms)],
      remove,
    };
  }
  return { add, remove };
};

/** Changes a zone as a plan says, in the manner of the desk. */
const carryOut = (desk: Desk, apex: DomainName, { add, remove }: Plan): void => {
  if (desk.mode === "lies") return;
  const some = desk.mode === "applies-half" ? add.slice(0, Math.ceil(add.length / 2)) : add;
  desk.undo.set(
    apex,
    [...remove, ...some].map(({ name: at, type }) => desk.host.set(apex, at, type) ?? { name: at, type, ttl: 0, data: [] }),
  );
  for (const set of remove) {
    const there = desk.host.set(apex, set.name, set.type);
    const left = there?.data.filter((data) => !set.data.includes(data)) ?? [];
    if (left.length === 0) desk.host.remove(apex, set.name, set.type);
    else desk.host.put(apex, { ...set, data: left });
  }
  for (const set of some) desk.host.put(apex, set);
  // What nobody approved.
  if (desk.mode === "meddles") {
    desk.host.remove(apex, apex, "MX");
    desk.host.put(apex, { name: apex, type: "AAAA", ttl: 3600, data: [{ address: "2001:db8::66" }] });
  }
};

/** Where the browser goes back to: this machine, and nowhere else. */
const backTo = (query: Readonly<Record<string, string>>): string | undefined =>
  query.redirect_uri !== undefined && /^http:\/\/127\.0\.0\.1:\d+\//.test(query.redirect_uri) ? query.redirect_uri : undefined;
const line = (set: RecordSet, word: string) =>
  set.data
    .map(
      (data) =>
        `<li>${word} ${html(set.type)} ${html(withoutRootDot(set.name))} <code>${html(shown(set.type, data))}</code></li>`,
    )
    .join("");
const shown = (type: RecordType, data: RecordSet["data"][number]): string =>
  "strings" in data ? data.strings.join("") : Object.values(data).join(" ") || type;
/** The page on which a person decides. */
const decisionPage = (desk: Desk, reply: FastifyReply, what: string, items: string, ticket: string) =>
  reply
    .type("text/html; charset=utf-8")
    .send(
      page(
        what,
        `<p>${html(desk.title)} carries this out when you approve it, and changes nothing else.</p><ul>${items}</ul><form method="post" action="/decide"><input type="hidden" name="ticket" value="${ticket}"><button name="decision" value="approve">Approve</button> <button name="decision" value="refuse">Refuse</button></form>`,
      ),
    );

type Named = { Params: { provider: string; service: string }; Querystring: Record<string, string> };
const templateOf = (desk: Desk, { params }: FastifyRequest<Named>) => desk.templates.get(key(params.provider, params.service));
const AT = "/v2/domainTemplates/providers/:provider/services/:service";

/** What a host says of itself. */
function offerSettings(server: FastifyInstance, desk: Desk): void {
  server.get<{ Params: { zone: string } }>("/v2/:zone/settings", async ({ params, headers }, reply) => {
    if (zoneOf(desk, params.zone) === undefined) return reply.code(404).send({ message: "no such zone" });
    const own = `http://${headers.host}`;
    return {
      providerId: "nettlehost.example",
      providerName: desk.title,
      providerDisplayName: desk.title,
      urlSyncUX: own,
      urlAsyncUX: own,
      urlAPI: own,
      nameServers: ["ns1.nettlehost.example", "ns2.nettlehost.example"],
    };
  });
  server.get("/.well-known/oauth-authorization-server", async ({ headers }) => {
    const own = `http://${headers.host}`;
    return {
      issuer: own,
      token_endpoint: `${own}/v2/oauth/access_token`,
      revocation_endpoint: `${own}/v2/oauth/revoke`,
      response_types_supported: ["code"],
      code_challenge_methods_supported: ["S256"],
    };
  });
}

/** Pages on which a person approves: a template once, or grants from now on. */
function offerPages(server: FastifyInstance, desk: Desk): void {
  server.get<Named>(
    AT,
    async (request, reply) => templateOf(desk, request) ?? reply.code(404).send({ message: "no such template" }),
  );

  server.get<Named>(`${AT}/apply`, async (request, reply) => {
    const template = templateOf(desk, request);
    const apex = zoneOf(desk, request.query.domain);
    if (template === undefined || apex === undefined) return reply.code(404).send({ message: "no such template or domain" });
    if (template.syncBlock === true) return reply.code(403).send({ message: "only by a grant" });
    if (template.syncPubKeyDomain !== undefined) {
      const label = request.query.key ?? "";
      const parsed = parseName(`${label}.${template.syncPubKeyDomain}`);
      const shown = parsed.ok ? await desk.world.ask(parsed.value, "TXT") : undefined;
      const texts =
        shown?.kind === "found" && isOfType(shown.set, "TXT") ? shown.set.data.map((data) => decodeUtf8(txtValue(data))) : [];
      const publicKey: KeyObject | undefined = keyFromPieces(texts);
      const query = request.raw.url?.split("?")[1] ?? "";
      if (publicKey === undefined || !isSignedBy(query, publicKey))
        return reply.code(403).send({ message: "the link is not signed" });
    }
    const plan = planOf(desk, template, apex, request.query);
    if (typeof plan === "string") return reply.code(400).send({ message: plan });
    const ticket = random();
    desk.pending.set(ticket, {
      domain: apex,
      redirect: backTo(request.query),
      state: request.query.state ?? "",
      work: { kind: "apply", plan },
    });
    const items =
      plan.remove.map((set) => line(set, "removes")).join("") + plan.add.map((set) => line(set, "publishes")).join("");
    return decisionPage(desk, reply, `${template.providerName} wants to change ${withoutRootDot(apex)}`, items, ticket);
  });

  server.get<{ Params: { provider: string }; Querystring: Record<string, string> }>(
    "/v2/domainTemplates/providers/:provider",
    async ({ params, query }, reply) => {
      const apex = zoneOf(desk, query.domain);
      const services = (query.scope ?? "").split(/[ ,]+/).filter((candidate) => candidate !== "");
      const redirect = backTo(query);
      if (
        apex === undefined ||
        redirect === undefined ||
        services.some((candidate) => !desk.templates.has(key(params.provider, candidate)))
      )
        return reply.code(400).send({ message: "the request for a grant cannot be read" });
      if (query.response_type !== "code" || query.code_challenge_method !== "S256" || query.code_challenge === undefined)
        return reply.code(400).send({ message: "a proof key is needed (RFC 7636)" });
      const ticket = random();
      desk.pending.set(ticket, {
        domain: apex,
        redirect,
        state: query.state ?? "",
        work: { kind: "grant", challenge: query.code_challenge, scope: services.join(" "), client: query.client_id ?? "" },
      });
      const items = services.map((service) => grantItem(desk.templates.get(key(params.provider, service)), service)).join("");
      return decisionPage(desk, reply, `${params.provider} may change ${withoutRootDot(apex)} from now on`, items, ticket);
    },
  );
}

/** What a grant for one template covers: every record that it may put, replace or remove, as often as it likes. */
function grantItem(template: Template | undefined, service: string): string {
  const records = (template?.records ?? []).map(
    ({ type, host = "@", data, pointsTo, target, spfRules }) =>
      `<li>${html(type)} ${html(host)} <code>${html(data ?? pointsTo ?? target ?? spfRules ?? "")}</code></li>`,
  );
  return `<li>${html(template?.serviceName ?? service)}: puts these records again and again, in the place of what is there, and takes them away, until you take the grant back<ul>${records.join("")}</ul></li>`;
}

/** What follows a decision. */
function offerDecision(server: FastifyInstance, desk: Desk): void {
  server.post<{ Body: { ticket?: string; decision?: string } }>("/decide", async ({ body }, reply) => {
    const asked = desk.pending.get(body?.ticket ?? "");
    if (asked === undefined) return reply.code(400).send({ message: "this page was used before" });
    desk.pending.delete(body.ticket as string);
    const refused = body.decision !== "approve" || desk.mode === "refuses";
    const answers: Record<string, string> = { state: asked.state };
    if (refused) answers.error = "access_denied";
    else if (asked.work.kind === "apply") carryOut(desk, asked.domain, asked.work.plan);
    else {
      const code = random();
      desk.codes.set(code, asked);
      answers.code = code;
    }
    if (asked.redirect === undefined)
      return reply.type("text/html; charset=utf-8").send(page(refused ? "Refused" : "Done", "<p>You may close this window.</p>"));
    return reply.redirect(`${asked.redirect}${asked.redirect.includes("?") ? "&" : "?"}${new URLSearchParams(answers)}`, 303);
  });
}

/** A new token, and one to renew it with. */
const issue = (desk: Desk, granted: GrantedToken) => {
  const [access, refresh] = [random(), random()];
  const until = Date.now() + TOKEN_LIFE * 1000;
  desk.tokens.set(access, { ...granted, until });
  desk.refreshes.set(refresh, granted);
  return { access_token: access, token_type: "Bearer", expires_in: TOKEN_LIFE, refresh_token: refresh };
};

/** Grants for codes, and their end (RFC 6749, RFC 7009). */
function offerGrants(server: FastifyInstance, desk: Desk): void {
  server.post<{ Body: Record<string, string> }>("/v2/oauth/access_token", async ({ body = {} }, reply) => {
    if (body.grant_type === "refresh_token") {
      const granted = desk.refreshes.get(body.refresh_token ?? "");
      if (granted === undefined) return reply.code(400).send({ error: "invalid_grant" });
      desk.refreshes.delete(body.refresh_token as string);
      return issue(desk, granted);
    }
    const asked = desk.codes.get(body.code ?? "");
    desk.codes.delete(body.code ?? "");
    const proof = createHash("sha256")
      .update(body.code_verifier ?? "")
      .digest("base64url");
    if (
      asked?.work.kind !== "grant" ||
      asked.work.challenge !== proof ||
      asked.redirect !== body.redirect_uri ||
      asked.work.client !== body.client_id
    )
      return reply.code(400).send({ error: "invalid_grant" });
    return issue(desk, { domain: asked.domain, services: asked.work.scope.split(" "), until: 0 });
  });
  server.post<{ Body: { token?: string } }>("/v2/oauth/revoke", async ({ body }, reply) => {
    const granted = desk.refreshes.get(body?.token ?? "") ?? desk.tokens.get(body?.token ?? "");
    for (const kept of [desk.tokens, desk.refreshes])
      for (const [token, { domain }] of kept) if (granted?.domain === domain) kept.delete(token);
    return reply.code(200).send();
  });
}

/** The grant that covers a request; undefined where none does. */
const granted = (desk: Desk, request: FastifyRequest<Named>): GrantedToken | undefined => {
  const token = desk.tokens.get(request.headers.authorization?.replace(/^Bearer /, "") ?? "");
  return token !== undefined &&
    token.until > Date.now() &&
    token.services.includes(request.params.service) &&
    token.domain === zoneOf(desk, request.query.domain)
    ? token
    : undefined;
};

/** Templates applied and taken back by a grant. */
function offerApplying(server: FastifyInstance, desk: Desk): void {
  server.post<Named>(`${AT}/apply`, async (request, reply) => {
    const grant = granted(desk, request);
    const template = templateOf(desk, request);
    if (grant === undefined) return reply.code(401).send({ code: "unauthorized", message: "the grant does not cover it" });
    if (template === undefined) return reply.code(404).send({ code: "unknown", message: "no such template" });
    if (desk.mode === "refuses") return reply.code(403).send({ code: "refused", message: "this account is closed for changes" });
    const plan = planOf(desk, template, grant.domain, request.query);
    if (typeof plan === "string") return reply.code(400).send({ code: "bad", message: plan });
    if (plan.remove.length > 0 && request.query.force !== "1")
      return reply
        .code(409)
        .send({ code: "conflict", message: plan.remove.map((set) => `${set.type} of ${withoutRootDot(set.name)}`).join(", ") });
    carryOut(desk, grant.domain, plan);
    return reply.code(202).send();
  });
  server.post<Named>(`${AT}/revert`, async (request, reply) => {
    const grant = granted(desk, request);
    const before = grant === undefined ? undefined : desk.undo.get(grant.domain);
    if (grant === undefined) return reply.code(401).send({ code: "unauthorized", message: "the grant does not cover it" });
    if (before === undefined) return reply.code(404).send({ code: "unknown", message: "nothing was applied" });
    for (const set of before)
      if (set.data.length === 0) desk.host.remove(grant.domain, set.name, set.type);
      else desk.host.put(grant.domain, set);
    desk.undo.delete(grant.domain);
    return reply.code(200).send();
  });
}

/** A DNS host's side of the open set-up protocol: templates that a person approves once, by a link or by a grant. */
export async function startApprovalDesk(host: AuthorityHost, title: string, world: Lookup): Promise<ApprovalDesk> {
  const server = Fastify({ logger: false, forceCloseConnections: true });
  server.addContentTypeParser("application/x-www-form-urlencoded", { parseAs: "string" }, (_, body, done) =>
    done(null, Object.fromEntries(new URLSearchParams(String(body)))),
  );
  const desk: Desk = {
    ...{ host, title, world, templates: new Map(), pending: new Map(), codes: new Map() },
    ...{ tokens: new Map(), refreshes: new Map(), undo: new Map(), mode: "works" },
  };
  server.addHook("onRequest", async (_, reply) => {
    if (desk.mode === "hangs") await new Promise(() => {});
    if (desk.mode === "down") return reply.code(503).send({ message: "closed for today" });
    return undefined;
  });

  for (const offer of [offerSettings, offerPages, offerDecision, offerGrants, offerApplying]) offer(server, desk);
  const address = await server.listen({ host: "127.0.0.1", port: 0 });
  const place = new URL(address).host;
  return {
    place,
    templates: desk.templates,
    get mode() {
      return desk.mode;
    },
    set mode(next) {
      desk.mode = next;
    },
    async decide(link, decision = "approve", comesBack = true) {
      const shownPage = await (await fetch(link)).text();
      const ticket = /name="ticket" value="([^"]+)"/.exec(shownPage)?.[1];
      if (ticket === undefined) return undefined;
      const answer = await fetch(new URL("/decide", link), {
        method: "POST",
        body: new URLSearchParams({ ticket, decision }),
        redirect: "manual",
      });
      const back = answer.headers.get("location") ?? undefined;
      if (back !== undefined && comesBack) await fetch(back);
      return back;
    },
    close: () => server.close(),
  };
}

/** The label at which a zone says where its DNS host takes approvals. */
export const discoveryAt = (apex: DomainName): DomainName => name("_domainconnect", apex);
