import { existsSync } from "node:fs";
import { basename, join, resolve } from "node:path";
import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import {
  domainPath,
  fileSchemas,
  findWorkspace,
  KEY,
  lockWorkspace,
  openWorkspace,
  type ROLES,
  readSettings,
  readText,
  replaceFile,
  SETTINGS_FILE,
} from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { nameOperand } from "../dns/context.ts";

export const initialiseSchema = z.object({ folder: z.string(), created: z.array(z.string()), next: z.string() });

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

# Who serves your zones, and how Zandrel publishes there.
hosts:${host === undefined ? " {}" : `\n  ${host}:\n    title: ${host[0]?.toUpperCase()}${host.slice(1)}\n    publish:\n      way: by-hand`}
#  example-host:
#    title: Example Host
#    publish:
#      way: update                 # signed dynamic updates (RFC 2136); or zone-file, or by-hand
#      server: 192.0.2.53
#      key: { name: my-key, algorithm: hmac-sha256, secret: env:EXAMPLE_HOST_TSIG }

# Who asks you for records; zandrel intake --add-service adds to this list.
services: {}

defaults:
  ttl: 3600                         # seconds, for records whose ask names none
`;

/** What {@link initialise} is asked. */
export interface InitialiseRequest extends CommonRequest {
  readonly organisation: string | undefined;
  readonly dnsHost: string | undefined;
  readonly role: (typeof ROLES)[number];
  readonly settings: string | undefined;
}

/** Start a workspace for a domain in this folder, or add the domain to the workspace that is here. */
export async function initialise(
  request: InitialiseRequest,
  context: AppContext,
): Promise<Outcome<z.output<typeof initialiseSchema>>> {
  const { cwd } = context;
  const operand = onlyOperand(request);
  const domain = nameOperand(operand);
  const existing = findWorkspace(cwd, request.workspace);
  const folder = existing ?? cwd;
  const settingsPath = join(folder, SETTINGS_FILE);
  const host = request.dnsHost;
  if (host !== undefined && !KEY.test(host)) throw new Failure("host-key", { given: host });
  const created: string[] = [];
  const schemas = await fileSchemas();
  await lockWorkspace(folder, context, () => {
    if (!existsSync(settingsPath)) {
      const from = request.settings;
      const organisation = request.organisation ?? basename(folder);
      const text = from === undefined ? settingsFor(organisation, host) : readText(resolve(cwd, from));
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
    const workspace = openWorkspace(folder, folder);
    if (host !== undefined && !Object.hasOwn(workspace.settings.hosts, host))
      throw new Failure("unknown-host", { given: host, known: Object.keys(workspace.settings.hosts) });
    if (workspace.domains.some((one) => one.name === domain)) throw new Failure("domain-there", { domain });
    const hosts = Object.keys(workspace.settings.hosts);
    const only = host ?? (hosts.length === 1 ? hosts[0] : undefined);
    replaceFile(
      domainPath(folder, domain),
      `# yaml-language-server: $schema=../.zandrel/schemas/domain.json\ndomain: ${withoutRootDot(domain)}\nrole: ${request.role}\n${only === undefined ? "" : `host: ${only}\n`}asks: []\n`,
    );
    created.push(join("domains", `${withoutRootDot(domain)}.yaml`));
  });
  return { ended: "fine", result: { folder, created, next: "zandrel intake" } };
}
