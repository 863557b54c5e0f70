import Fastify, { type FastifyInstance, type FastifyReply } from "fastify";
import { understand } from "../core/ask/intake/index.ts";
import { type DomainName, name, parseName, relativeText, withoutRootDot } from "../core/name/index.ts";
import { printData } from "../core/record/index.ts";
import type { MailService } from "./mail-service.ts";
import { addZone, addZonePage, type Entered, enter, type FormHost, formPage } from "./practice-form.ts";
import { html, page } from "./practice-page.ts";
import { registrarPage } from "./practice-registrar.ts";
import type { Registrar, RegistrationChange } from "./registrar.ts";
import type { RunningService, SiteDesk } from "./service.ts";
import { SEALINGS, type Sealing, type ThirdParties } from "./third-parties.ts";

/** The same asks as six services would show them. */
const LAYOUTS: readonly ((asked: readonly Entered[]) => string)[] = [
  (asked) =>
    `<table><thead><tr><th>Type</th><th>Name</th><th>Value</th></tr></thead><tbody>${asked.map(({ type, host, value }) => `<tr><td>${type}</td><td>${html(host)}</td><td><code>${html(value)}</code> <button>Copy</button></td></tr>`).join("")}</tbody></table>`,
  (asked) =>
    asked
      .map(
        ({ type, host, value }) =>
          `<h2>${type} record</h2><dl><dt>Host</dt><dd>${html(host)}</dd><dt>Points to</dt><dd>${html(value)}</dd></dl>`,
      )
      .join(""),
  (asked) =>
    asked
      .map(
        ({ type, host, value }) =>
          `<div><div>Record type</div><div>${type}</div><div>Host name</div><div>${html(host)} <button>Copy</button></div><div>Content</div><div>${html(value)} <button>Copy</button></div></div>`,
      )
      .join("<hr>"),
  (asked) =>
    `<ol>${asked.map(({ type, host, value }) => `<li>Add a <b>${type}</b> record for <code>${html(host)}</code> with the value <code>${html(value)}</code></li>`).join("")}</ol>`,
  (asked) =>
    `<pre>${asked.map(({ type, host, value }) => html(`${host}  3600  IN  ${type}  ${type === "TXT" ? JSON.stringify(value) : value}`)).join("\n")}</pre>`,
  (asked) =>
    `<table><tr><th></th>${asked.map((_, i) => `<th>Record ${i + 1}</th>`).join("")}</tr>${(["type", "host", "value"] as const).map((field) => `<tr><th>${field === "value" ? "Target" : field === "host" ? "Label" : "Kind"}</th>${asked.map((entered) => `<td>${html(entered[field])}</td>`).join("")}</tr>`).join("")}</table>`,
];

/** The records that a service's text asks for, to be shown in another layout. */
const askedIn = (text: string, domain: DomainName): Entered[] =>
  understand({ text, domain, ttl: 3600, choices: new Map() }).records.map(({ record: { name: at, type, data } }) => ({
    type,
    host: relativeText(at, domain),
    value: "strings" in data ? data.strings.join("") : printData(type, data),
  }));

/** A service of the practice ground. */
interface PracticeService {
  readonly service: Pick<RunningService, "check">;
  /** What it shows for a domain, as text. */
  readonly shows: (domain: string) => Promise<string> | string;
  /** What its verify button looks for, one after the other. */
  readonly purposes: readonly string[];
  /** The mail it sends, where it sends any. */
  readonly mail?: Pick<MailService, "messages" | "pretend" | "returnHost">;
  /** The builder of sites, where it is one. */
  readonly sites?: PracticeSites;
}

/** What the practice ground needs of the lab. */
export interface PracticeWorld {
  readonly hosts: readonly FormHost[];
  readonly registrar: Registrar;
  /** The mailing list, which can be had to seal what it forwards, to break that, or to leave it out. */
  readonly list: Pick<ThirdParties, "sealing">;
  /** The address of the parked page. */
  readonly parked: string;
  readonly domains: readonly string[];
  readonly services: Readonly<Record<string, PracticeService>>;
  readonly now: () => number;
}

/** The customer's side of the site builder: which domains it has, what is published, and how large the plan is. */
export class PracticeSites implements SiteDesk {
  readonly #published = new Set<string>();
  readonly #starting: ReadonlySet<string>;
  #large = false;
  #first: string | undefined;

  /** @param starting domains whose site is not published yet; every other one is, and is in the plan */
  constructor(starting: readonly string[]) {
    this.#starting = new Set(starting);
  }
  isPublished(domain: string): boolean {
    return !this.#starting.has(domain) || this.#published.has(domain);
  }
  hasRoom(domain: string): boolean {
    if (!this.#starting.has(domain) || this.#large) return true;
    this.#first ??= domain;
    return this.#first === domain;
  }
  publish(domain: string): void {
    this.#published.add(domain);
  }
  enlarge(): void {
    this.#large = true;
  }
}

const button = (action: string, label: string, fields: Readonly<Record<string, string>> = {}): string =>
  `<form method="post" action="${action}">${Object.entries(fields)
    .map(([key, value]) => `<input type="hidden" name="${key}" value="${html(value)}">`)
    .join("")}<button>${label}</button></form>`;

/** What a recipient can do, as the buttons call it. */
const PLAYED = { shown: "opened it", followed: "clicked a link", left: "left the list" } as const;

/** The messages of a mail service, and what recipients may do with them. */
function messagesPage(service: string, mail: NonNullable<PracticeService["mail"]>): string {
  const rows = mail.messages().map(
    ({ tracking, to, domain, state }) =>
      `<tr><td>${html(to)}</td><td>${html(domain)}</td><td>${state}</td><td>${Object.entries(PLAYED)
        .map(([kind, label]) => button(`/mail/${service}/${kind}`, label, { tracking }))
        .join("")}</td></tr>`,
  );
  const list =
    rows.length === 0
      ? "<p>It has sent nothing yet: zandrel message send sends a test message.</p>"
      : `<table><tr><th>To</th><th>From</th><th>State</th><th>The recipient</th></tr>${rows.join("")}</table>`;
  return page(`${service}: its messages`, list);
}

const apexOf = ({ domains }: PracticeWorld, domain: string): DomainName | undefined =>
  domains.includes(domain) ? name(domain) : undefined;
const show = (reply: FastifyReply, text: string, code = 200) => reply.code(code).type("text/html; charset=utf-8").send(text);
const nothing = (reply: FastifyReply) => reply.code(404).send("There is nothing here.");

/** What a service asks of a domain, as its page shows it. */
async function asksPage({ services }: PracticeWorld, key: string, apex: DomainName, said: readonly string[]): Promise<string> {
  const { shows, mail, sites } = services[key] as PracticeService;
  const domain = withoutRootDot(apex);
  const layout = LAYOUTS[Object.keys(services).indexOf(key) % LAYOUTS.length] as (asked: readonly Entered[]) => string;
  const published = sites?.isPublished(domain) === true;
  return page(
    `${key}: connect ${domain}`,
    [
      ...said.map((line) => `<p class="said" role="status">${html(line)}</p>`),
      `<p>Add these records where the DNS of ${html(domain)} is kept, then press verify.</p>`,
      layout(askedIn(await shows(domain), apex)),
      ...(mail === undefined ? [] : [`<p>Mail that comes back goes to <code>${html(mail.returnHost(domain))}</code>.</p>`]),
      button(`/asks/${key}/${domain}`, "Verify"),
      ...(sites === undefined
        ? []
        : [
            published ? "<p>Your site is published.</p>" : button(`/sites/${key}/${domain}/publish`, "Publish the site"),
            button(`/sites/${key}/${domain}/enlarge`, "Take the larger plan"),
          ]),
    ].join(""),
  );
}

/** The first page: every domain, and what there is to do with it. */
function offerOverview(server: FastifyInstance, { domains, services, hosts }: PracticeWorld): void {
  server.get("/", async (_, reply) => {
    const lists = domains.map(
      (domain) =>
        `<h2>${domain}</h2><ul>${Object.keys(services)
          .map((service) => `<li><a href="/asks/${service}/${domain}">what ${service} asks for</a></li>`)
          .join(
            "",
          )}${hosts.map(({ key, title }) => `<li><a href="/${key}/${domain}">its zone at ${title}</a></li>`).join("")}<li><a href="/registrar/${domain}">its registrar: name servers and DNSSEC</a></li></ul>`,
    );
    const sent = Object.entries(services).flatMap(([service, { mail }]) =>
      mail === undefined ? [] : [`<li><a href="/mail/${service}">what became of the mail of ${service}</a></li>`],
    );
    return show(
      reply,
      page(
        "The practice ground",
        `${lists.join("")}<h2>Mail</h2><ul>${sent.join("")}<li><a href="/list">what the puppetry guild’s mailing list does to mail</a></li></ul>`,
      ),
    );
  });
}

/** What services ask for, and their buttons. */
function offerAsks(server: FastifyInstance, world: PracticeWorld): void {
  const { services, now } = world;
  server.get<{ Params: { service: string; domain: string } }>("/asks/:service/:domain", async ({ params }, reply) => {
    const apex = apexOf(world, params.domain);
    if (!Object.hasOwn(services, params.service) || apex === undefined) return nothing(reply);
    return show(reply, await asksPage(world, params.service, apex, []));
  });
  server.post<{ Params: { service: string; domain: string } }>("/asks/:service/:domain", async ({ params }, reply) => {
    const apex = apexOf(world, params.domain);
    if (!Object.hasOwn(services, params.service) || apex === undefined) return nothing(reply);
    const { service, purposes } = services[params.service] as PracticeService;
    const said: string[] = [];
    for (const purpose of purposes) {
      const answer = await service.check(apex, purpose);
      // What was looked for a moment ago is remembered by the service's resolver, and the page says when it looked.
      const at = new Date(now()).toISOString().slice(11, 16);
      said.push(`${answer?.accepted === true ? "✓" : "✗"} ${answer?.reason ?? ""} (looked at ${at} UTC)`);
      if (answer?.accepted !== true) break;
    }
    return show(reply, await asksPage(world, params.service, apex, said));
  });
  server.post<{ Params: { service: string; domain: string; what: string } }>(
    "/sites/:service/:domain/:what",
    async ({ params: { service, domain, what } }, reply) => {
      const sites = Object.hasOwn(services, service) ? services[service]?.sites : undefined;
      const apex = apexOf(world, domain);
      if (sites === undefined || apex === undefined) return nothing(reply);
      if (what === "publish") sites.publish(domain);
      else sites.enlarge();
      return show(reply, await asksPage(world, service, apex, []));
    },
  );
}

const SEALING: Readonly<Record<Sealing, string>> = {
  seals: "It seals what it forwards (ARC): whoever trusts it can see that the message was proven when it arrived.",
  breaks: "It seals what it forwards, and a machine behind it changes what was sealed: the chain is broken.",
  none: "It seals nothing: receivers see a broken signature, and nothing else.",
};

/** What the mailing list does to mail, and the switch for it. */
const listPage = ({ list }: PracticeWorld): string =>
  page(
    "The puppetry guild’s mailing list",
    `<p>Mail to members@lists.puppetry-guild.example goes on to member@mallowmail.example, with [guild] before the subject and a footer, which breaks the signature of whoever wrote it.</p><p class="said" role="status">${SEALING[list.sealing]}</p>${SEALINGS.filter(
      (way) => way !== list.sealing,
    )
      .map((way) => button("/list", { seals: "Seal rightly", breaks: "Seal and break it", none: "Do not seal" }[way], { way }))
      .join("")}`,
  );

function offerList(server: FastifyInstance, world: PracticeWorld): void {
  server.get("/list", async (_, reply) => show(reply, listPage(world)));
  server.post<{ Body: { way?: string } }>("/list", async ({ body }, reply) => {
    const way = SEALINGS.find((known) => known === body.way);
    if (way !== undefined) world.list.sealing = way;
    return show(reply, listPage(world), way === undefined ? 409 : 200);
  });
}

/** What became of the mail of services. */
function offerMail(server: FastifyInstance, { services }: PracticeWorld): void {
  server.get<{ Params: { service: string } }>("/mail/:service", async ({ params }, reply) => {
    const mail = Object.hasOwn(services, params.service) ? services[params.service]?.mail : undefined;
    return mail === undefined ? nothing(reply) : show(reply, messagesPage(params.service, mail));
  });
  server.post<{ Params: { service: string; kind: string }; Body: { tracking?: string } }>(
    "/mail/:service/:kind",
    async ({ params, body }, reply) => {
      const mail = Object.hasOwn(services, params.service) ? services[params.service]?.mail : undefined;
      if (mail === undefined || !Object.hasOwn(PLAYED, params.kind)) return nothing(reply);
      mail.pretend(params.kind as keyof typeof PLAYED, String(body.tracking));
      return show(reply, messagesPage(params.service, mail));
    },
  );
}

/** The form of a DNS host. */
function offerForm(server: FastifyInstance, world: PracticeWorld, form: FormHost): void {
  const { parked } = world;
  const { key, host } = form;
  const isThere = (apex: DomainName): boolean => host.zones().some((zone) => zone.apex === apex);
  const zonePage = (apex: DomainName, all: boolean, said = ""): string =>
    isThere(apex) ? formPage(form, apex, parked, all, said) : addZonePage(form, apex, said);
  server.get<{ Params: { domain: string }; Querystring: { all?: string } }>(
    `/${key}/:domain`,
    async ({ params, query }, reply) => {
      const apex = apexOf(world, params.domain);
      return apex === undefined ? nothing(reply) : show(reply, zonePage(apex, query.all === "1"));
    },
  );
  server.post<{ Params: { domain: string; what: string }; Body: Record<string, string> }>(
    `/${key}/:domain/:what`,
    async ({ params, body }, reply) => {
      const apex = apexOf(world, params.domain);
      if (apex === undefined) return nothing(reply);
      const { type = "", host: typed = "", value = "", name: stored = "", data = "", zone = "" } = body;
      if (params.what === "zone") {
        const said = addZone(form, apex, zone);
        return show(reply, zonePage(apex, false, said), said === undefined ? 200 : 409);
      }
      if (!isThere(apex)) return show(reply, zonePage(apex, false, "Add the domain first."), 409);
      if (params.what === "add") {
        const said = enter(form, apex, { type, host: typed, value });
        return show(reply, zonePage(apex, false, said), said === undefined ? 200 : 409);
      }
      const at = parseName(stored);
      const there = at.ok ? host.set(apex, at.value, type) : undefined;
      if (there !== undefined) {
        const left = there.data.filter((recordData) => printData(type, recordData) !== data);
        if (left.length === 0) host.remove(apex, there.name, type);
        else host.put(apex, { ...there, data: left });
      }
      return show(reply, zonePage(apex, false));
    },
  );
}

/** The page of the registrar; a program that asks for JSON gets that. */
function offerRegistrar(server: FastifyInstance, world: PracticeWorld): void {
  const { registrar, hosts, now } = world;
  const path = "/registrar/:domain";
  server.get<{ Params: { domain: string } }>(path, async ({ params, headers }, reply) => {
    const apex = apexOf(world, params.domain);
    if (apex === undefined) return nothing(reply);
    const registration = registrar.registration(apex);
    return headers.accept === "application/json" ? registration : show(reply, registrarPage(registration, hosts));
  });
  server.post<{
    Params: { domain: string };
    Body: RegistrationChange & { readonly servers?: string; readonly records?: string };
  }>(path, async ({ params, headers, body }, reply) => {
    const apex = apexOf(world, params.domain);
    if (apex === undefined) return nothing(reply);
    // The page has one field for the name servers and one for the DNSSEC records, a line each.
    const { servers, records, nameServers = servers?.split("\n"), ds = records?.split("\n") } = body;
    const changed = registrar.change(apex, {
      ...(nameServers === undefined ? {} : { nameServers }),
      ...(ds === undefined ? {} : { ds }),
    });
    if (headers.accept === "application/json") return changed.ok ? changed.value : reply.code(422).send({ error: changed.error });
    const registration = registrar.registration(apex);
    const until = new Date(now() + registration.ttl * 1000).toISOString().slice(11, 16);
    const said = changed.ok
      ? `Saved. Resolvers that asked before remember what was here until about ${until} UTC.`
      : `Nothing was saved. ${changed.error}`;
    return show(reply, registrarPage(registration, hosts, said), changed.ok ? 200 : 409);
  });
}

/** Web pages to practise on: what services ask for, in six layouts, what their buttons say, the forms of two DNS hosts, a registrar. */
export async function startPractice(world: PracticeWorld): Promise<{ readonly url: string; close(): Promise<void> }> {
  const server = Fastify({ logger: false, forceCloseConnections: true, bodyLimit: 1 << 20 });
  server.addContentTypeParser("application/x-www-form-urlencoded", { parseAs: "string" }, (_, body, done) =>
    done(null, Object.fromEntries(new URLSearchParams(String(body)))),
  );
  for (const offer of [offerOverview, offerAsks, offerMail, offerList, offerRegistrar]) offer(server, world);
  for (const host of world.hosts) offerForm(server, world, host);
  const url = await server.listen({ host: "127.0.0.1", port: 0 });
  return { url, close: () => server.close() };
}
