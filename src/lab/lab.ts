import { generateKeyPairSync, type KeyPairKeyObjectResult, randomBytes, randomInt } from "node:crypto";
import { existsSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { fastClock, type LabClock, steppedClock } from "../clock.ts";
import type { TrustAnchor } from "../core/dnssec/index.ts";
import { type DomainName, isBelow, name, withoutRootDot } from "../core/name/index.ts";
import { printData } from "../core/record/index.ts";
import { piecesOf } from "../core/template/index.ts";
import { DnsClient } from "../net/index.ts";
import { type ApprovalDesk, discoveryAt, startApprovalDesk } from "./approval-desk.ts";
import { AuthorityHost } from "./authority.ts";
import { makeAuthority } from "./certificates.ts";
import { listenDns } from "./dns-server.ts";
import type { MailServiceDescription } from "./mail-description.ts";
import type { MailWorld } from "./mail-host.ts";
import { type MailService, startMailService } from "./mail-service.ts";
import { HERONPOST, INGLEMAIL, SWIFTQUILL } from "./mail-services.ts";
import { type Mallowmail, startMallowmail } from "./mallowmail.ts";
import { PracticeSites, startPractice } from "./practice.ts";
import { FORMS } from "./practice-form.ts";
import { Registrar } from "./registrar.ts";
import { CachingResolver } from "./resolver.ts";
import { pagewick, type RunningService, type ServiceDescription, sealbarrow, seekmere, startService } from "./service.ts";
import { labTemplates } from "./templates.ts";
import { startThirdParties, type ThirdParties } from "./third-parties.ts";
import { startWebFront, type WebFront } from "./web-front.ts";
import type { ZoneSigner } from "./zone-signer.ts";
import { startZonemarrow } from "./zonemarrow.ts";
import {
  ADDRESSES,
  delegationOf,
  EXAMPLE_ZONE,
  HOSTED_ZONES,
  newZone,
  PROVIDER_ZONES,
  PROVIDERS,
  type Provider,
  REVERSE_ZONE,
  ROOT_ZONE,
  ZONEMARROW_ZONES,
} from "./zones.ts";

export interface LabOptions {
  /** The lab's time when it starts, in milliseconds since 1970. */
  readonly start: number;
  /** How many times as fast as the real one its clock runs; without it, it stands still until somebody waits. */
  readonly speed?: number;
  /** Port of all its DNS servers, each of which has a loopback address of its own, and the first of six; 0 for any that are free. */
  readonly port: number;
  /** Further domains, parked at Nettlehost as new ones are. */
  readonly domains?: readonly DomainName[];
  /** Whether registry and DNS hosts sign (DNSSEC), the resolvers check, and Brackwater's domains have their DS records. */
  readonly signed?: boolean;
}

/** Everything that runs, and what a workspace needs to use it. */
export interface Lab {
  readonly clock: LabClock;
  readonly nettlehost: AuthorityHost;
  /** The address of Nettlehost's primary server. */
  readonly nettlehostServer: string;
  readonly zonemarrow: AuthorityHost;
  /** The name servers of the services. */
  readonly providers: Readonly<Record<Provider, AuthorityHost>>;
  readonly registry: AuthorityHost;
  readonly vantages: Readonly<Record<string, CachingResolver>>;
  readonly seekmere: RunningService;
  readonly pagewick: RunningService;
  readonly sealbarrow: RunningService;
  readonly heronpost: MailService;
  readonly swiftquill: MailService;
  readonly inglemail: MailService;
  readonly mallowmail: Mallowmail;
  readonly thirdParties: ThirdParties;
  /** The folder with everybody's mailboxes, a Maildir each, by address. */
  readonly mailboxes: string;
  readonly web: WebFront;
  /** Nettlehost's desk for approvals: templates that a person approves in the browser. */
  readonly approvals: ApprovalDesk;
  /** The address of the pages to practise on: what the services ask for, and Nettlehost's form. */
  readonly practice: string;
  /** Contents of a zandrel.yaml that points at the lab. */
  readonly settings: string;
  /** Environment variables that the settings refer to. */
  readonly env: Readonly<Record<string, string>>;
  close(): Promise<void>;
}

/** Seconds by which the second name server and its changes trail behind. */
const SECONDARY_LAG = 40;

/** The service whose name servers take their time, and how long: real milliseconds, where somebody watches. */
const SLOW: Provider = "swiftquill";
const SLOWNESS = 120;

/** Seconds between a site being connected and its certificate. */
const CERTIFICATE_PENDING = 900;

/** The six places people look from; four of them in this release. */
const VANTAGES = [
  { name: "Quay Street", address: ADDRESSES.vantages[0], options: {} },
  { name: "Lantern Hill", address: ADDRESSES.vantages[1], options: {} },
  { name: "Harbour Office", address: ADDRESSES.vantages[2], options: { delay: 150 } },
  { name: "Far Shore", address: ADDRESSES.vantages[3], options: { prefersLast: true } },
] as const;

/** The zones of the simulated world, at the registry and at both DNS hosts. */
function serveZones(clock: LabClock, tsig: Buffer, domains: readonly DomainName[]) {
  const nettlehost = new AuthorityHost(clock, [{ name: name("brackwater-key"), algorithm: "hmac-sha256", secret: tsig }]);
  for (const [label, text] of Object.entries(HOSTED_ZONES)) nettlehost.serve(name(`${label}.example`), text);
  const zonemarrow = new AuthorityHost(clock);
  for (const [label, text] of Object.entries(ZONEMARROW_ZONES)) zonemarrow.serve(name(`${label}.example`), text);
  const providers = Object.fromEntries(
    PROVIDERS.map((label) => {
      const host = new AuthorityHost(clock);
      host.serve(name(`${label}.example`), PROVIDER_ZONES[label]);
      return [label, host];
    }),
  ) as Record<Provider, AuthorityHost>;
  const registry = new AuthorityHost(clock);
  const example = name("example");
  const further = domains.filter((domain) => !Object.keys(HOSTED_ZONES).some((label) => name(`${label}.example`) === domain));
  for (const domain of further) nettlehost.serve(domain, newZone());
  const delegated = (inExample: boolean) =>
    further
      .filter((domain) => isBelow(domain, example) === inExample)
      .map(delegationOf)
      .join("");
  registry.serve(name("."), `${ROOT_ZONE}${delegated(false)}`);
  registry.serve(example, `${EXAMPLE_ZONE}${delegated(true)}`);
  registry.serve(name("53.127.in-addr.arpa"), REVERSE_ZONE);
  return { nettlehost, zonemarrow, providers, registry, example, further };
}

/** The keys that Heronpost signs its links with, made once in a process: making them is what takes longest at a lab's start. */
let linkKeys: KeyPairKeyObjectResult | undefined;

/** What the desk for approvals knows, and where zones say that it is; the file with the key that signs Heronpost's links comes back. */
function presentApprovals(
  approvals: ApprovalDesk,
  { nettlehost, providers }: Pick<Lab, "nettlehost" | "providers">,
  further: readonly DomainName[],
  folder: string,
): string {
  for (const template of labTemplates(ADDRESSES.pagewick))
    approvals.templates.set(`${template.providerId} ${template.serviceId}`, template);
  for (const apex of ["brackwater", "brackwater-tickets", "puppetfest"].map((label) => name(`${label}.example`)).concat(further))
    nettlehost.preset(apex, { name: discoveryAt(apex), type: "TXT", ttl: 3600, data: [{ strings: [approvals.place] }] });
  // Heronpost signs its links; its key is known to whoever may make them in its name.
  const links = (linkKeys ??= generateKeyPairSync("rsa", { modulusLength: 2048 }));
  const signingFile = join(folder, "heronpost-links.pem");
  writeFileSync(signingFile, links.privateKey.export({ type: "pkcs8", format: "pem" }), { mode: 0o600 });
  providers.heronpost.preset(name("heronpost.example"), {
    name: name("links.heronpost.example"),
    type: "TXT",
    ttl: 3600,
    data: piecesOf(links.publicKey).map((piece) => ({ strings: [piece] })),
  });
  return signingFile;
}

/** The site builder, whose sites are reachable once they are accepted, and have a certificate a while later. */
const builderOf = (sites: PracticeSites, web: WebFront, clock: LabClock): ServiceDescription => ({
  ...pagewick(ADDRESSES.pagewick, sites),
  onAccepted(domain, purpose) {
    if (purpose !== "site") return;
    // The site is at www; the bare domain redirects there.
    for (const host of [domain, `www.${domain}`]) {
      web.hosts.set(host, host === domain ? { kind: "redirect", to: `www.${domain}` } : { kind: "site" });
      // Certificates take a while; the clock decides how long that is.
      void clock.sleep(CERTIFICATE_PENDING * 1000).then(() => web.certify(host));
    }
  },
});

type LabServices = Pick<Lab, "seekmere" | "pagewick" | "sealbarrow" | "heronpost" | "swiftquill" | "inglemail">;

/** What there is to practise with: each service, what its page shows, and what its button verifies. */
function practised({ seekmere, pagewick, sealbarrow, heronpost, swiftquill, inglemail }: LabServices, sites: PracticeSites) {
  return {
    seekmere: { service: seekmere, shows: (domain: string) => seekmere.instructions(domain), purposes: ["ownership"] as const },
    pagewick: {
      service: pagewick,
      shows: (domain: string) => `${pagewick.instructions(domain)}\n${pagewick.instructions(domain, "site")}`,
      purposes: ["ownership", "site"] as const,
      sites,
    },
    sealbarrow: {
      service: sealbarrow,
      shows: (domain: string) => sealbarrow.instructions(domain),
      purposes: ["certificate"] as const,
    },
    ...Object.fromEntries(
      Object.entries({ heronpost, swiftquill, inglemail }).map(([key, mail]) => [
        key,
        { service: mail, mail, shows: (domain: string) => mail.page(domain), purposes: ["sending", "bounce"] as const },
      ]),
    ),
  };
}

type Answering = (address: string, handler: Parameters<typeof listenDns>[2]) => Promise<unknown>;

/** Has every DNS server of the world answer at its address. */
async function answerAll(
  dns: Answering,
  {
    registry,
    nettlehost,
    zonemarrow,
    providers,
    vantages,
  }: Pick<Lab, "registry" | "nettlehost" | "zonemarrow" | "providers" | "vantages">,
  isWatched: boolean,
) {
  await dns(ADDRESSES.registry, registry.handler("registry"));
  await dns(ADDRESSES.nettlehost[0], nettlehost.handler("ns1.nettlehost"));
  await dns(ADDRESSES.nettlehost[1], nettlehost.handler("ns2.nettlehost", SECONDARY_LAG * 1000));
  for (const [i, address] of ADDRESSES.zonemarrow.entries()) await dns(address, zonemarrow.handler(`ns${i + 1}.zonemarrow`));
  for (const label of PROVIDERS)
    for (const [i, address] of ADDRESSES.providers[label].entries())
      await dns(address, providers[label].handler(`ns${i + 1}.${label}`, 0, isWatched && label === SLOW ? SLOWNESS : 0));
  for (const vantage of VANTAGES) await dns(vantage.address, (vantages[vantage.name] as CachingResolver).handler());
}

/** The environment that the settings refer to; the clock goes on in it. */
const environmentOf = (clock: LabClock, secrets: Readonly<Record<string, string>>): Lab["env"] => ({
  get ZANDREL_CLOCK() {
    return clock.text();
  },
  ...secrets,
});

type Keep = <T extends { close(): Promise<unknown> }>(starting: Promise<T>) => Promise<T>;

/** Remembers what was started, so that all of it is stopped, also where something else cannot start. */
function keeper(): { readonly keep: Keep; closeAll(): Promise<void> } {
  const running: { close(): Promise<unknown> }[] = [];
  return {
    async keep(starting) {
      const started = await starting;
      running.push(started);
      return started;
    },
    async closeAll() {
      await Promise.all(running.map((one) => one.close()));
    },
  };
}

/** The services, each with its link; those for mail with servers of their own. */
async function startServices(
  keep: Keep,
  builder: ServiceDescription,
  mail: MailWorld,
  { key, providers }: { readonly key: string; readonly providers: Lab["providers"] },
): Promise<LabServices> {
  const run = (description: ServiceDescription) =>
    keep(startService(description, { clock: mail.clock, resolver: mail.resolver(), key }));
  const send = (description: MailServiceDescription, provider: Provider) =>
    keep(startMailService(description, mail, { key, host: providers[provider] }));
  return {
    seekmere: await run(seekmere),
    pagewick: await run(builder),
    sealbarrow: await run(sealbarrow),
    heronpost: await send(HERONPOST, "heronpost"),
    swiftquill: await send(SWIFTQUILL, "swiftquill"),
    inglemail: await send(INGLEMAIL, "inglemail"),
  };
}

/** The pages to practise on: the forms of both DNS hosts, the registrar, and what the services ask for. */
const startGround = (
  {
    registry,
    nettlehost,
    zonemarrow,
    domains,
    signed,
    sites,
    services,
    thirdParties,
  }: Pick<Lab, "registry" | "nettlehost" | "zonemarrow" | "thirdParties"> & {
    readonly domains: readonly DomainName[];
    readonly signed: boolean;
    readonly sites: PracticeSites;
    readonly services: LabServices;
  },
  now: () => number,
) =>
  startPractice({
    hosts: [
      { ...FORMS.nettlehost, host: nettlehost, signs: signed },
      { ...FORMS.zonemarrow, host: zonemarrow, signs: signed },
    ],
    registrar: new Registrar(registry),
    list: thirdParties,
    parked: ADDRESSES.parked,
    // The reader's own domains come first.
    domains: [...domains.map(withoutRootDot), ...THEATRE],
    services: practised(services, sites),
    now,
  });

/** The theatre's own domains. */
const THEATRE = ["brackwater.example", "brackwater-tickets.example", "puppetfest.example"];

/** Writes a file that the settings name, and gives back its path. */
function saved(folder: string, name: string, text: string): string {
  writeFileSync(join(folder, name), text);
  return join(folder, name);
}

/** The addresses of the services' links. */
const linksOf = (services: LabServices) =>
  Object.fromEntries(Object.entries(services).map(([service, { link }]) => [service, link]));

/** How many ports a lab takes, and how often it tries others where some of them are in use. */
const PORTS = 6;
const MAX_TRIES = 50;

/**
 * Starts the simulated services, all on loopback: registry, DNS host, resolvers, services, a mailbox provider, one clock. With port 0
 * it takes whatever ports are free.
 */
export async function startLab(options: LabOptions): Promise<Lab> {
  if (options.port !== 0) return startLabAt(options);
  for (let tries = 1; ; tries++) {
    const port = 20_000 + PORTS * randomInt(2000);
    try {
      return await startLabAt({ ...options, port });
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "EADDRINUSE" || tries === MAX_TRIES) throw error;
    }
  }
}

async function startLabAt({ start, speed, port, domains = [], signed = false }: LabOptions): Promise<Lab> {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-lab-"));
  const clock = speed === undefined ? steppedClock(start, join(folder, "clock")) : fastClock(start, Date.now(), speed);
  const client = new DnsClient({ timeout: 2000 });
  const tsig = randomBytes(32);
  const key = randomBytes(18).toString("base64url");
  const { nettlehost, zonemarrow, providers, registry, example, further } = serveZones(clock, tsig, domains);
  const hosts = [nettlehost, zonemarrow, providers.heronpost];
  const anchors: readonly TrustAnchor[] = signed ? signEverything({ registry, example, hosts, further }) : [];
  const common = { client, clock, root: ADDRESSES.registry, port, ...(signed ? { anchors } : {}) };
  const resolver = (options: object) => new CachingResolver({ ...common, ...options });
  // Where the clock stands still nobody watches, and the slow one keeps nobody waiting.
  const slowness = speed === undefined ? { delay: 0 } : {};
  const vantages = Object.fromEntries(VANTAGES.map(({ name: place, options }) => [place, resolver({ ...options, ...slowness })]));
  const { keep, closeAll } = keeper();
  const close = async (): Promise<void> => {
    clock.stop();
    await closeAll();
    client.close();
    rmSync(folder, { recursive: true, force: true });
  };
  try {
    const dns = { registry, nettlehost, zonemarrow, providers, vantages };
    await answerAll((address, handler) => keep(listenDns(address, port, handler)), dns, speed !== undefined);
    const approvals = await keep(startApprovalDesk(nettlehost, "Nettlehost", resolver({})));
    const signingFile = presentApprovals(approvals, { nettlehost, providers }, further, folder);

    const token = randomBytes(18).toString("base64url");
    const zones = [...["brackwater", "brackwater-post"].map((label) => name(`${label}.example`)), ...further];
    const api = await keep(startZonemarrow({ host: zonemarrow, token, zones }));
    const authority = await makeAuthority();
    const authorityFile = saved(folder, "authority.pem", authority.pem);
    const web = await keep(startWebFront([ADDRESSES.pagewick, ADDRESSES.parked], { http: port + 1, https: port + 2 }, authority));
    // Domains of the reader's choice start as a customer does: a plan for one domain, and a site that is not published.
    const sites = new PracticeSites(further.map(withoutRootDot));
    const mailboxes = join(folder, "mail");
    const mail: MailWorld = {
      clock,
      ports: { exchange: port + 3, submission: port + 4, implicit: port + 5 },
      authority,
      resolver: () => resolver({}),
      mailboxes,
    };
    const services = await startServices(keep, builderOf(sites, web, clock), mail, { key, providers });
    const thirdParties = await keep(startThirdParties(ADDRESSES, mail, nettlehost));
    const ground = { ...dns, domains: further, signed, sites, services, thirdParties };
    const practice = await keep(startGround(ground, () => clock.now()));
    return {
      practice: practice.url,
      clock,
      nettlehost,
      nettlehostServer: `${ADDRESSES.nettlehost[0]}:${port}`,
      zonemarrow,
      providers,
      registry,
      vantages,
      ...services,
      mallowmail: await keep(startMallowmail(ADDRESSES.mallowmail, mail)),
      thirdParties,
      mailboxes,
      web,
      approvals,
      settings: settingsFor(port, anchors, signingFile, web.ports, linksOf(services)),
      env: environmentOf(clock, {
        ZANDREL_LAB: practice.url,
        NETTLEHOST_TSIG: tsig.toString("base64"),
        SERVICE_KEY: key,
        ZONEMARROW_API: api.api,
        ZONEMARROW_TOKEN: token,
        NODE_EXTRA_CA_CERTS: authorityFile,
      }),
      close,
    };
  } catch (error) {
    await close();
    throw error;
  }
}

/** The helper program that ships for the second DNS host; two folders up both from here and from the bundle it is the project's root. */
const HELPER =
  ["../demo", "../../demo"]
    .map((path) => fileURLToPath(new URL(`${path}/helpers/zonemarrow.mjs`, import.meta.url)))
    .find(existsSync) ?? "zonemarrow.mjs";

/**
 * Signs the tree from the root down: each zone with a key of its host's own, and the DS records at the parent where they belong to
 * a domain that the registrar was told of. Gives back where trust begins.
 */
function signEverything({
  registry,
  example,
  hosts,
  further,
}: {
  readonly registry: AuthorityHost;
  readonly example: DomainName;
  readonly hosts: readonly AuthorityHost[];
  readonly further: readonly DomainName[];
}): readonly TrustAnchor[] {
  const root = registry.sign(name("."));
  const enter = (parent: DomainName, { apex, ds }: ZoneSigner) =>
    registry.put(parent, { name: apex, type: "DS", ttl: DS_TTL, data: [ds] });
  enter(name("."), registry.sign(example));
  const own = [
    ...["brackwater", "brackwater-tickets", "puppetfest", "brackwater-post", "heronpost"].map((label) =>
      name(`${label}.example`),
    ),
    ...further,
  ];
  for (const host of hosts)
    for (const { apex } of host.zones())
      if (own.includes(apex)) enter(isBelow(apex, example) ? example : name("."), host.sign(apex));
  return [{ zone: name("."), ds: [root.ds] }];
}

/** How long resolvers remember the DS records of the registry, in seconds. */
const DS_TTL = 6 * 3600;

function settingsFor(
  port: number,
  anchors: readonly TrustAnchor[],
  signingFile: string,
  web: { http: number; https: number },
  links: Readonly<Record<string, string>>,
): string {
  return `# Points a workspace at the lab.
version: 1
organisation: Brackwater Puppet Theatre
vantages:
${VANTAGES.map((vantage) => `  - name: ${vantage.name}\n    resolver: ${vantage.address}:${port}\n`).join("")}hosts:
  nettlehost:
    title: Nettlehost
    servers: [${ADDRESSES.nettlehost.map((address) => `"${address}:${port}"`).join(", ")}]
    nameServers: [ns1.nettlehost.example, ns2.nettlehost.example]
    publish:
      way: update
      server: ${ADDRESSES.nettlehost[0]}:${port}
      key:
        name: brackwater-key
        algorithm: hmac-sha256
        secret: env:NETTLEHOST_TSIG
  zonemarrow:
    title: Zonemarrow
    servers: [${ADDRESSES.zonemarrow.map((address) => `"${address}:${port}"`).join(", ")}]
    nameServers: [ns1.zonemarrow.example, ns2.zonemarrow.example]
    publish:
      way: helper
      command: [${JSON.stringify(process.execPath)}, ${JSON.stringify(HELPER)}]
services:
${Object.entries(links)
  .map(
    ([key, link]) =>
      `  ${key}:\n    title: ${key[0]?.toUpperCase()}${key.slice(1)}\n    link: ${link}\n    key: env:SERVICE_KEY\n${key === "sealbarrow" ? "    issuer: sealbarrow.example\n" : ""}${key === "heronpost" ? `    signing: { provider: heronpost.example, label: links, key: ${JSON.stringify(signingFile)} }\n` : ""}`,
  )
  .join("")}${
  anchors.length === 0
    ? 'anchors: "" # the lab signs nothing'
    : `anchors: |\n${anchors.flatMap(({ ds }) => ds.map((delegationSigner) => `  . DS ${printData("DS", delegationSigner)}`)).join("\n")}`
}
defaults:
  ttl: 3600
  authorityPort: ${port}
  webPorts: { http: ${web.http}, https: ${web.https} }
`;
}
