import Fastify from "fastify";
import { understand } from "../core/ask/intake/index.ts";
import { type DomainName, displayName, name, parseName, relativeText, withoutRootDot } from "../core/name/index.ts";
import { isOfType, printData, type RecordSet, withData } from "../core/record/index.ts";
import { readRecords } from "../core/zone/index.ts";
import type { AuthorityHost } from "./authority.ts";

/** The services whose asks are shown on pages to copy from: what one shows for a domain, as lines of cells. */
type AskPage = (domain: string) => Promise<string> | string;

const ESCAPES: Readonly<Record<string, string>> = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" };
const html = (text: string): string => text.replace(/[&<>"]/g, (character) => ESCAPES[character] as string);

const STYLE =
  "body{font:1rem/1.5 system-ui,sans-serif;max-width:50rem;margin:1.5rem auto;padding:0 1rem;color:#23263a;background:#fbfafd}table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:.3rem .6rem;border-bottom:1px solid #cfcbdb;vertical-align:top}code{overflow-wrap:anywhere}input,select,button{font:inherit;padding:.2rem .4rem}.said{border:2px solid #8f2346;padding:.5rem .8rem}";

const page = (title: string, body: string): string =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${html(title)}</title><style>${STYLE}</style></head><body><h1>${html(title)}</h1>${body}</body></html>`;

interface Asked {
  readonly type: string;
  readonly host: string;
  readonly value: string;
}

/** The same asks as six services would show them. */
const LAYOUTS: readonly ((asked: readonly Asked[]) => string)[] = [
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
    `<table><tr><th></th>${asked.map((_, i) => `<th>Record ${i + 1}</th>`).join("")}</tr>${(["type", "host", "value"] as const).map((field) => `<tr><th>${field === "value" ? "Target" : field === "host" ? "Label" : "Kind"}</th>${asked.map((one) => `<td>${html(one[field])}</td>`).join("")}</tr>`).join("")}</table>`,
];

/** The records that a service's text asks for, to be shown in another layout. */
const askedIn = (text: string, domain: DomainName): Asked[] =>
  understand({ text, domain, ttl: 3600, choices: new Map() }).records.map(({ record: { name: at, type, data } }) => ({
    type,
    host: relativeText(at, domain),
    value: "strings" in data ? data.strings.join("") : printData(type, data),
  }));

/** What the form does with one entry: the name it is stored at, and why it is refused where it is. */
function enter(host: AuthorityHost, apex: DomainName, { type, host: typed, value }: Asked): string | undefined {
  // Like many forms, it puts the domain behind whatever is typed, and takes nothing back.
  const label = typed.trim() === "" || typed.trim() === "@" ? "@" : typed.trim().replace(/\.$/, "");
  const at = label === "@" ? { ok: true as const, value: apex } : parseName(label, apex);
  if (!at.ok) return `“${typed}” is not a valid host.`;
  const data =
    type === "TXT"
      ? JSON.stringify(value.trim())
      : type === "MX" && !/^\d/.test(value.trim())
        ? `10 ${value.trim()}`
        : value.trim();
  const dotted = type === "CNAME" || type === "MX" ? data.replace(/([^.])$/, "$1.") : data;
  const { records, issues } = readRecords(`${at.value} 3600 ${type} ${dotted}`, { origin: apex });
  const [record] = records;
  if (record === undefined || issues.length > 0) return `“${value}” is not a valid value for a ${type} record.`;
  const here = host
    .zones()
    .find((zone) => zone.apex === apex)
    ?.nodes.get(at.value);
  const others = [...(here?.keys() ?? [])].filter((other) => other !== type && other !== "SOA" && other !== "NS");
  if (type === "CNAME" && others.length > 0)
    return `Record conflict: there is another record for ${displayName(at.value)}. (Error 1004)`;
  if (here?.has("CNAME") === true && type !== "CNAME")
    return `Record conflict: ${displayName(at.value)} is an alias. (Error 1004)`;
  const there = host.set(apex, at.value, type);
  const set: RecordSet = { name: at.value, type, ttl: 3600, data: [record.data] };
  host.put(apex, there === undefined || type === "CNAME" ? set : withData(there, set.data));
  return undefined;
}

/** Whether the form hides a record: what Nettlehost itself put into a new zone it calls system records. */
const isHidden = (set: RecordSet, parked: string): boolean =>
  set.type === "SOA" ||
  set.type === "NS" ||
  (isOfType(set, "A") && set.data.some(({ address }) => address === parked)) ||
  (isOfType(set, "CNAME") && set.data.some(({ target }) => target === name("parked.nettlehost.example")));

function formPage(host: AuthorityHost, apex: DomainName, parked: string, all: boolean, said = ""): string {
  const zone = host.zones().find((one) => one.apex === apex);
  const sets = [...(zone?.nodes.values() ?? [])]
    .flatMap((node) => [...node.values()])
    .filter((set) => all || !isHidden(set, parked));
  const own = withoutRootDot(apex);
  const rows = sets.flatMap((set) =>
    set.data.map(
      (data) =>
        `<tr><td>${set.type}</td><td>${html(relativeText(set.name, apex))}</td><td><code>${html(printData(set.type, data))}</code></td><td>${set.ttl}</td><td><form method="post" action="/nettlehost/${own}/delete"><input type="hidden" name="name" value="${html(set.name)}"><input type="hidden" name="type" value="${set.type}"><input type="hidden" name="data" value="${html(printData(set.type, data))}"><button>Delete</button></form></td></tr>`,
    ),
  );
  return page(
    `Nettlehost: the zone of ${own}`,
    `${said === "" ? "" : `<p class="said" role="alert">${html(said)}</p>`}<table><tr><th>Type</th><th>Host</th><th>Value</th><th>TTL</th><th></th></tr>${rows.join("")}</table><p><a href="?all=${all ? 0 : 1}">${all ? "Hide" : "Show"} system records</a></p><form method="post" action="/nettlehost/${own}/add"><label>Type <select name="type">${["A", "AAAA", "CNAME", "MX", "TXT"].map((type) => `<option>${type}</option>`).join("")}</select></label> <label>Host <input name="host"> .${own}</label> <label>Value <input name="value" size="40"></label> <button>Add record</button></form>`,
  );
}

/** What the practice ground needs of the lab. */
export interface PracticeWorld {
  readonly host: AuthorityHost;
  /** The address of the parked page. */
  readonly parked: string;
  readonly domains: readonly string[];
  readonly services: Readonly<Record<string, AskPage>>;
}

/** Web pages to practise on: what services ask for, in six layouts, and a DNS host's form with its usual habits. */
export async function startPractice({
  host,
  parked,
  domains,
  services,
}: PracticeWorld): Promise<{ readonly url: string; close(): Promise<void> }> {
  const server = Fastify({ logger: false, forceCloseConnections: true, bodyLimit: 1 << 20 });
  server.addContentTypeParser("application/x-www-form-urlencoded", { parseAs: "string" }, (_, body, done) =>
    done(null, Object.fromEntries(new URLSearchParams(String(body)))),
  );
  const apexOf = (domain: string): DomainName | undefined => (domains.includes(domain) ? name(domain) : undefined);
  const send = (text: string) => ({ type: "text/html; charset=utf-8", text });
  server.get("/", async (_, reply) => {
    const lists = domains.map(
      (domain) =>
        `<h2>${domain}</h2><ul>${Object.keys(services)
          .map((service) => `<li><a href="/asks/${service}/${domain}">what ${service} asks for</a></li>`)
          .join("")}<li><a href="/nettlehost/${domain}">its zone at Nettlehost</a></li></ul>`,
    );
    return reply.type(send("").type).send(page("The practice ground", lists.join("")));
  });
  server.get<{ Params: { service: string; domain: string } }>("/asks/:service/:domain", async ({ params }, reply) => {
    const shows = services[params.service];
    const apex = apexOf(params.domain);
    if (shows === undefined || apex === undefined) return reply.code(404).send("There is nothing here.");
    const asked = askedIn(await shows(params.domain), apex);
    const layout = LAYOUTS[Object.keys(services).indexOf(params.service) % LAYOUTS.length] as (asked: readonly Asked[]) => string;
    return reply
      .type(send("").type)
      .send(
        page(
          `${params.service}: connect ${params.domain}`,
          `<p>Add these records where the DNS of ${html(params.domain)} is kept, then press verify.</p>${layout(asked)}<button>Verify</button>`,
        ),
      );
  });
  server.get<{ Params: { domain: string }; Querystring: { all?: string } }>(
    "/nettlehost/:domain",
    async ({ params, query }, reply) => {
      const apex = apexOf(params.domain);
      if (apex === undefined) return reply.code(404).send("There is nothing here.");
      return reply.type(send("").type).send(formPage(host, apex, parked, query.all === "1"));
    },
  );
  server.post<{ Params: { domain: string; what: string }; Body: Record<string, string> }>(
    "/nettlehost/:domain/:what",
    async ({ params, body }, reply) => {
      const apex = apexOf(params.domain);
      if (apex === undefined) return reply.code(404).send("There is nothing here.");
      const { type = "", host: typed = "", value = "", name: stored = "", data = "" } = body;
      if (params.what === "add") {
        const said = enter(host, apex, { type, host: typed, value });
        return reply
          .code(said === undefined ? 200 : 409)
          .type(send("").type)
          .send(formPage(host, apex, parked, false, said));
      }
      const at = parseName(stored);
      const there = at.ok ? host.set(apex, at.value, type) : undefined;
      if (there !== undefined) {
        const left = there.data.filter((one) => printData(type, one) !== data);
        if (left.length === 0) host.remove(apex, there.name, type);
        else host.put(apex, { ...there, data: left });
      }
      return reply.type(send("").type).send(formPage(host, apex, parked, false));
    },
  );
  const url = await server.listen({ host: "127.0.0.1", port: 0 });
  return { url, close: () => server.close() };
}
