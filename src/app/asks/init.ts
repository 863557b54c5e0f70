import { existsSync } from "node:fs";
import { basename, join, resolve } from "node:path";
import * as z from "zod";
import type { ROLES } from "../../core/ask/index.ts";
import { clause, NOTHING } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, isAtOrBelow, labelsOf, readMeantName, withoutRootDot } from "../../core/name/index.ts";
import { isOfType } from "../../core/record/index.ts";
import { organizationalDomain } from "../../core/suffix/index.ts";
import {
  changeDomain,
  domainPath,
  fileSchemas,
  findWorkspace,
  KEY,
  lockWorkspace,
  openWorkspace,
  readSettings,
  readText,
  replaceFile,
  SETTINGS_FILE,
  type Settings,
  setHost,
} from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { openDns } from "../dns/context.ts";
import { approvalHostOf } from "../hosts/discover.ts";
import { recognise } from "../hosts/recognise.ts";
import { domainName, sentence } from "../shapes.ts";

export const initialiseSchema = z.object({
  folder: z.string(),
  domain: domainName,
  created: z.array(z.string()),
  changed: z.array(z.string()).describe("files of a domain that was there already, and now says what the options say"),
  host: z
    .object({
      key: z.string(),
      title: z.string(),
      how: z.enum(["named", "recognised", "new", "only"]),
      nameServers: z.array(domainName),
      takesApprovals: z
        .boolean()
        .describe("of a new host: whether it takes approvals in the browser, and is published at that way"),
    })
    .nullable()
    .describe(
      "the DNS host of the domain: named by option, recognised by its name servers, written down by them, or the only one there is",
    ),
  next: sentence,
});

const quotedYaml = (text: string) =>
  /^[\p{L}\p{N}][\p{L}\p{N} .'&-]*$/u.test(text) && !/^(true|false|null|yes|no|\d+)$/i.test(text) ? text : JSON.stringify(text);

/** A zandrel.yaml that says by example what may stand in it. */
const settingsFor = (
  organisation: string,
  host: string | undefined,
): string => `# yaml-language-server: $schema=.zandrel/schemas/zandrel.json
# What Zandrel knows about your organisation. Secrets never stand here: write env:NAME or file:PATH.
version: 1
organisation: ${quotedYaml(organisation)}

# Resolvers whose view counts; "system" is the one this machine uses.
vantages:
  - name: this machine
    resolver: system

# Who serves your zones, and how Zandrel publishes there. The ways, one example each:
#  by-hand:   publish: { way: by-hand }                       a sheet to fill in, written as the host's form wants it
#  zone-file: publish: { way: zone-file, file: example.zone } edits this file
#  update:    publish: { way: update, server: 192.0.2.53, key: { name: my-key, secret: env:MY_TSIG } }   RFC 2136
#  helper:    publish: { way: helper, command: [node, helper.mjs] }                                     your own program
hosts:${host === undefined ? " {}" : `\n  ${host}:\n    title: ${host[0]?.toUpperCase()}${host.slice(1)}\n    publish:\n      way: by-hand`}

# Who asks you for records; zandrel intake --add-service adds to this list.
services: {}

defaults:
  ttl: 3600                         # seconds, for records whose ask names none
`;

/** What {@link initialise} is asked. */
export interface InitialiseRequest extends CommonRequest {
  readonly organisation: string | undefined;
  readonly dnsHost: string | undefined;
  /** What the domain is for; `main` for a new one. */
  readonly role: (typeof ROLES)[number] | undefined;
  /** Of a redirect domain: where it leads. */
  readonly redirectTo: string | undefined;
  readonly settings: string | undefined;
  readonly resolver: readonly string[];
}

/** The name that a person means, from what people paste: the address of a page, capitals, a final dot. */
function nameMeant(given: string): DomainName {
  const parsed = readMeantName(given);
  const because = parsed.ok ? NOTHING : parsed.error.message;
  if (!parsed.ok || parsed.value === "." || /[_*\\]/.test(parsed.value)) throw new Failure("not-a-domain", { given, because });
  if (labelsOf(parsed.value).length < 2) throw new Failure("not-a-domain", { given, because: clause("name-one-part") });
  return parsed.value;
}

/** The domain that a person means; a host of it is none. */
function domainMeant(given: string): DomainName {
  const meant = nameMeant(given);
  if (meant.startsWith("www.")) throw new Failure("init-www", { given: meant, domain: organizationalDomain(meant) });
  return meant;
}

/** Longest wait for the name servers of a domain; a new domain may have none yet (milliseconds). */
const LOOK = 2000;

/** The names of the servers that serve a domain now; none where it is not known. */
async function nameServersOf(
  domain: DomainName,
  settings: Settings,
  request: InitialiseRequest,
  context: AppContext,
): Promise<readonly DomainName[]> {
  const dns = openDns({ resolver: request.resolver, timeout: LOOK }, context, settings, [domain]);
  try {
    const answer = await dns.world.ask(domain, "NS");
    return answer.kind === "found" && isOfType(answer.set, "NS") ? answer.set.data.map(({ target }) => target) : [];
  } finally {
    dns.close();
  }
}

/** Whether the DNS host of a domain takes approvals; where it cannot be asked it counts as not. */
async function takesApprovals(
  domain: DomainName,
  settings: Settings,
  request: InitialiseRequest,
  context: AppContext,
): Promise<boolean> {
  const dns = openDns({ resolver: request.resolver, timeout: LOOK }, context, settings, [domain]);
  try {
    return (await approvalHostOf(domain, dns, LOOK)).ok;
  } finally {
    dns.close();
  }
}

type Host = NonNullable<z.output<typeof initialiseSchema>["host"]>;

/** Start a workspace for a domain in this folder, or add the domain to the workspace that is here. */
export async function initialise(
  request: InitialiseRequest,
  context: AppContext,
): Promise<Outcome<z.output<typeof initialiseSchema>>> {
  const { cwd } = context;
  const domain = domainMeant(onlyOperand(request));
  const existing = findWorkspace(cwd, request.workspace);
  const folder = existing ?? cwd;
  const settingsPath = join(folder, SETTINGS_FILE);
  const named = request.dnsHost;
  if (named !== undefined && !KEY.test(named)) throw new Failure("host-key", { given: named });
  const created: string[] = [];
  const changed: string[] = [];
  const schemas = await fileSchemas();
  let host: Host | undefined;
  const redirects = request.redirectTo !== undefined || request.role === "redirect";
  await lockWorkspace(folder, context, async () => {
    if (!existsSync(settingsPath)) {
      const from = request.settings;
      const organisation = request.organisation ?? basename(folder);
      const text = from === undefined ? settingsFor(organisation, named) : readText(resolve(cwd, from));
      if (from !== undefined) readSettings(resolve(cwd, from));
      replaceFile(settingsPath, text);
      // Editors that know the language server complete and check the files by these.
      for (const [name, schema] of Object.entries(schemas))
        replaceFile(join(folder, ".zandrel/schemas", `${name}.json`), `${JSON.stringify(schema, undefined, 2)}\n`);
      created.push(SETTINGS_FILE);
      if (!existsSync(join(folder, ".gitignore"))) {
        replaceFile(join(folder, ".gitignore"), ".zandrel/*\n!.zandrel/schemas/\nkeys/\n");
        created.push(".gitignore");
      }
    } else if (request.settings !== undefined) throw new Failure("settings-there", { from: request.settings ?? "" });
    const { settings, domains } = openWorkspace(folder, folder);
    if (named !== undefined && !Object.hasOwn(settings.hosts, named))
      throw new Failure("unknown-host", { given: named, known: Object.keys(settings.hosts) });
    const redirectTo = request.redirectTo === undefined ? undefined : nameMeant(request.redirectTo);
    if (redirectTo !== undefined && isAtOrBelow(redirectTo, domain))
      throw new Failure("redirect-within", { domain, to: redirectTo });
    // Where a domain redirects to makes it one that redirects.
    const role = request.role ?? (redirectTo === undefined ? undefined : "redirect");
    const known = domains.find((candidate) => candidate.name === domain);
    if (known !== undefined) {
      if (role === undefined && named === undefined) throw new Failure("domain-there", { domain });
      changeDomain(known, {
        ...(role === undefined ? {} : { role }),
        ...(named === undefined ? {} : { host: named }),
        ...(redirectTo === undefined ? {} : { redirectTo }),
      });
      changed.push(join("domains", `${withoutRootDot(domain)}.yaml`));
      const key = named ?? known.host;
      host =
        key === undefined
          ? undefined
          : { key, title: settings.hosts[key]?.title ?? key, how: "named", nameServers: [], takesApprovals: false };
      return;
    }
    host = await hostOf(domain, settings, request, context);
    if (host?.how === "new")
      setHost(folder, host.key, {
        title: host.title,
        nameServers: host.nameServers.map(withoutRootDot),
        publish: { way: host.takesApprovals ? "approval" : "by-hand" },
      });
    replaceFile(
      domainPath(folder, domain),
      `# yaml-language-server: $schema=../.zandrel/schemas/domain.json\ndomain: ${withoutRootDot(domain)}\nrole: ${role ?? "main"}\n${host === undefined ? "" : `host: ${host.key}\n`}${redirectTo === undefined ? "" : `redirectTo: ${withoutRootDot(redirectTo)}\n`}asks: []\n`,
    );
    created.push(join("domains", `${withoutRootDot(domain)}.yaml`));
  });
  return {
    ended: "fine",
    result: {
      folder,
      domain,
      created,
      changed,
      host: host ?? null,
      next: redirects ? clause("next-site", { domain }) : clause("next-intake"),
    },
  };
}

/** The DNS host of a new domain: named, recognised, or the only one there is. */
async function hostOf(
  domain: DomainName,
  settings: Settings,
  request: InitialiseRequest,
  context: AppContext,
): Promise<Host | undefined> {
  const titleOf = (key: string) => settings.hosts[key]?.title ?? key;
  if (request.dnsHost !== undefined)
    return { key: request.dnsHost, title: titleOf(request.dnsHost), how: "named", nameServers: [], takesApprovals: false };
  const recognised = recognise(await nameServersOf(domain, settings, request, context), settings);
  if (recognised !== undefined) {
    const isNew = recognised.how === "new" && (await takesApprovals(domain, settings, request, context));
    return { ...recognised, nameServers: [...recognised.nameServers], takesApprovals: isNew };
  }
  const [only, ...more] = Object.keys(settings.hosts);
  return only === undefined || more.length > 0
    ? undefined
    : { key: only, title: titleOf(only), how: "only", nameServers: [], takesApprovals: false };
}

/** The schemas by which editors check the files of a workspace. */
export { fileSchemas };
