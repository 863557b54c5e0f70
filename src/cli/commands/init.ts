import { existsSync } from "node:fs";
import { basename, join, resolve } from "node:path";
import { z } from "zod";
import { nameOperand } from "../../app/dns/context.ts";
import { withoutRootDot } from "../../app/shapes.ts";
import { EXIT, UserError } from "../../core/user-error.ts";
import {
  domainPath,
  findWorkspace,
  KEY,
  openJournalIn,
  openWorkspace,
  ROLES,
  readSettings,
  readText,
  SETTINGS_FILE,
  writeAtomically,
} from "../../workspace/index.ts";
import { command } from "../command.ts";

const result = z.object({ folder: z.string(), created: z.array(z.string()), next: z.string() });

const quotedYaml = (text: string) =>
  /^[\p{L}\p{N}][\p{L}\p{N} .'&-]*$/u.test(text) && !/^(true|false|null|yes|no|\d+)$/i.test(text) ? text : JSON.stringify(text);

/** A zandrel.yaml that says by example what may stand in it. */
const settingsFor = (
  organisation: string,
  host: string | undefined,
): string => `# What Zandrel knows about your organisation. Secrets never stand here: write env:NAME or file:PATH.
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

export default command<z.output<typeof result>>({
  name: "init",
  operands: "DOMAIN",
  summary: "start a workspace for a domain in this folder, or add the domain to the workspace that is here",
  examples: [
    ["zandrel init brackwater.example --organisation 'Brackwater Puppet Theatre'", "starts a workspace in this folder"],
    ["zandrel init puppetfest.example --role redirect --host nettlehost", "adds a second domain"],
  ],
  options: {
    organisation: {
      type: "string",
      requiresArg: true,
      describe: "the name of your organisation (the folder's name if not given)",
    },
    host: { type: "string", requiresArg: true, describe: "the key of the domain's DNS host in zandrel.yaml" },
    role: { choices: ROLES, default: "main", describe: "what the domain is for" },
    settings: { type: "string", requiresArg: true, describe: "start from this zandrel.yaml: vantages, DNS hosts, services" },
  },
  schema: result,
  async run(args, { cwd }) {
    const [operand, ...more] = args._;
    if (operand === undefined || more.length > 0)
      throw new UserError("zandrel init wants one domain: for example zandrel init brackwater.example.");
    const domain = nameOperand(operand);
    const existing = findWorkspace(cwd, args.workspace as string | undefined);
    const folder = existing ?? cwd;
    const settingsPath = join(folder, SETTINGS_FILE);
    const host = args.host as string | undefined;
    if (host !== undefined && !KEY.test(host))
      throw new UserError(`--host “${host}” is not a key: use small letters, digits and hyphens, such as nettlehost.`);
    const created: string[] = [];
    const journal = await openJournalIn(folder);
    try {
      journal.exclusively(() => {
        if (!existsSync(settingsPath)) {
          const from = args.settings as string | undefined;
          const organisation = (args.organisation as string | undefined) ?? basename(folder);
          const text = from === undefined ? settingsFor(organisation, host) : readText(resolve(cwd, from));
          if (from !== undefined) readSettings(resolve(cwd, from));
          writeAtomically(settingsPath, text);
          created.push(SETTINGS_FILE);
          if (!existsSync(join(folder, ".gitignore"))) {
            writeAtomically(join(folder, ".gitignore"), ".zandrel/\nkeys/\n");
            created.push(".gitignore");
          }
        } else if (args.settings !== undefined)
          throw new UserError(`${SETTINGS_FILE} is here already: take over by hand what you want from ${args.settings}.`);
        const workspace = openWorkspace(folder, folder);
        if (host !== undefined && !Object.hasOwn(workspace.settings.hosts, host))
          throw new UserError(`“${host}” is no DNS host of ${SETTINGS_FILE}: add it under hosts: there first.`);
        if (workspace.domains.some((one) => one.name === domain))
          throw new UserError(`${withoutRootDot(domain)} is in this workspace already: see zandrel status.`);
        const hosts = Object.keys(workspace.settings.hosts);
        const only = host ?? (hosts.length === 1 ? hosts[0] : undefined);
        writeAtomically(
          domainPath(folder, domain),
          `domain: ${withoutRootDot(domain)}\nrole: ${args.role}\n${only === undefined ? "" : `host: ${only}\n`}asks: []\n`,
        );
        created.push(join("domains", `${withoutRootDot(domain)}.yaml`));
      });
    } finally {
      journal.close();
    }
    return { exit: EXIT.ok, result: { folder, created, next: "zandrel intake" } };
  },
  present: ({ created, next }, { style }) =>
    `${created.map((file) => `${style.good("written")}  ${file}\n`).join("")}Next: paste what a service shows you into ${style.command(next)} (finish with Ctrl-D).\n`,
});
