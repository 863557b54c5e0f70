import * as z from "zod";
import { COMMON_FORM, WAYS, type Way } from "../../core/change/index.ts";
import { type Clause, clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import {
  changeDomain,
  KEY,
  keyFor,
  lockWorkspace,
  openWorkspace,
  pickDomains,
  type Settings,
  setHost,
} from "../../workspace/index.ts";
import { type AppContext, answerFrom, type CommonRequest, type Outcome, onlyOperand } from "../context.ts";
import { hostServer, nameOperand } from "../dns/context.ts";
import { domainName } from "../shapes.ts";

export const setHostSchema = z.object({
  key: z.string().describe("the key of the DNS host in zandrel.yaml"),
  title: z.string(),
  way: z.enum(WAYS).describe("how records are published there"),
  became: z.enum(["added", "changed", "unchanged"]).describe("what became of its entry in zandrel.yaml"),
  entry: z.string().describe("the entry as it is in zandrel.yaml now, as YAML"),
  domains: z.array(domainName).describe("domains whose file names this host now"),
});

/** What {@link setDnsHost} is asked. */
export interface SetHostRequest extends CommonRequest {
  readonly title: string | undefined;
  readonly way: Way | undefined;
  readonly file: string | undefined;
  readonly server: string | undefined;
  readonly keyName: string | undefined;
  readonly algorithm: string | undefined;
  readonly secret: string | undefined;
  /** The helper program and its arguments, separated by spaces. */
  readonly command: string | undefined;
  /** Who hands out whole zones, and the TSIG key for it. */
  readonly transferServer: readonly string[];
  readonly transferKey: string | undefined;
  readonly transferSecret: string | undefined;
  readonly nameServer: readonly string[];
  readonly address: readonly string[];
  readonly form: readonly string[];
  readonly domain: readonly string[];
}

/** What a way of publishing has to be told. */
type HostField = "file" | "server" | "keyName" | "secret" | "command";

/** What each way needs, in the order in which it is asked. */
const NEEDED: Readonly<Record<Way, readonly HostField[]>> = {
  "by-hand": [],
  "zone-file": ["file"],
  update: ["server", "keyName", "secret"],
  helper: ["command"],
  approval: [],
};

/** The fields of a by-hand form, from `FIELD=VALUE`; lists are separated by commas. */
const formOf = (given: readonly string[]): Record<string, unknown> =>
  Object.fromEntries(
    given.map((text) => {
      const at = text.indexOf("=");
      if (at < 1) throw new Failure("host-form", { given: text });
      const [field, value] = [text.slice(0, at), text.slice(at + 1)];
      if (field === "lacks") return [field, value.split(",").filter((candidate) => candidate !== "")];
      if (field === "txtCut") return [field, Number(value)];
      return [field, field === "ttl" && value !== "seconds" ? value.split(",").map(Number) : value];
    }),
  );

type Publishing = Settings["hosts"][string]["publish"];

/** What zandrel.yaml says of a way already, as options would say it; a form only where it differs from the usual one. */
function toldBefore(
  publish: Publishing | undefined,
  way: Way,
): Partial<SetHostRequest> & { readonly formWritten?: object; readonly client?: object; readonly words?: readonly string[] } {
  if (publish?.way !== way) return {};
  switch (publish.way) {
    case "approval":
    case "by-hand": {
      const usual = Object.entries(COMMON_FORM).map(([field, value]) => [field, JSON.stringify(value)]);
      const isUsual = new Map(usual as [string, string][]);
      const own = Object.entries(publish.form ?? {}).filter(([field, value]) => isUsual.get(field) !== JSON.stringify(value));
      return {
        formWritten: Object.fromEntries(own),
        ...(publish.way === "approval" && publish.client !== undefined ? { client: publish.client } : {}),
      };
    }
    case "zone-file":
      return { file: publish.file };
    case "helper":
      // As a list: an argument may hold white space.
      return { command: publish.command.join(" "), words: publish.command };
    case "update": {
      const { name: keyName, algorithm, secret } = publish.key;
      return { server: publish.server, keyName: withoutRootDot(keyName), algorithm, secret };
    }
  }
}

/**
 * The way as zandrel.yaml writes it. What is not told stays as it was; what is missing is asked on a terminal, and ends the
 * command elsewhere.
 */
async function publishOf(
  request: SetHostRequest,
  way: Way,
  before: Publishing | undefined,
  context: AppContext,
): Promise<Record<string, unknown>> {
  const { formWritten, client, words, ...known } = toldBefore(before, way);
  const named = Object.entries(request).filter(([, value]) => value !== undefined);
  const told: SetHostRequest = { ...request, ...known, ...Object.fromEntries(named) };
  const answers = new Map<HostField, string>();
  for (const field of NEEDED[way]) {
    if (told[field] !== undefined) continue;
    const answer = context.interactive ? await answerFrom(context, clause("question-host", { field })) : "";
    if (answer === "") throw new Failure("host-needs", { way, field });
    answers.set(field, answer);
  }
  const of = (field: HostField) => told[field] ?? answers.get(field);
  switch (way) {
    case "approval":
    case "by-hand": {
      const written = { ...formWritten, ...formOf(request.form) };
      return {
        way,
        ...(client === undefined ? {} : { client }),
        ...(Object.keys(written).length === 0 ? {} : { form: written }),
      };
    }
    case "zone-file":
      return { way, file: of("file") };
    case "helper":
      return {
        way,
        command:
          request.command === undefined && words !== undefined
            ? words
            : of("command")
                ?.split(/\s+/)
                .filter((word) => word !== ""),
      };
    case "update":
      return {
        way,
        server: of("server"),
        key: {
          name: of("keyName"),
          ...(told.algorithm === undefined ? {} : { algorithm: told.algorithm }),
          secret: of("secret"),
        },
      };
  }
}

/** The options that only one way has a use for. */
const BELONGS: readonly (readonly [option: "file" | "server" | "keyName" | "algorithm" | "secret" | "command" | "form", Way])[] =
  [
    ["file", "zone-file"],
    ["server", "update"],
    ["keyName", "update"],
    ["algorithm", "update"],
    ["secret", "update"],
    ["command", "helper"],
    ["form", "by-hand"],
  ];

/** The way that is named, that the options show, or that the person chooses; undefined where it stays as it is. */
async function wayOf(request: SetHostRequest, known: boolean, context: AppContext): Promise<Way | undefined> {
  const given = BELONGS.filter(([option]) => (request[option]?.length ?? 0) > 0);
  const way = request.way ?? given[0]?.[1];
  // What an approval leaves is filled into the host's form.
  const foreign = given.find(([option, belongs]) => belongs !== way && !(option === "form" && way === "approval"));
  if (way !== undefined && foreign !== undefined) throw new Failure("host-option", { option: foreign[0], way });
  if (way !== undefined || known) return way;
  if (!context.interactive) return "by-hand";
  const chosen = await context.choose({ kind: "which-way" });
  const found = WAYS.find((candidate) => candidate === chosen);
  if (found === undefined) throw new Failure("question-left-open", {});
  return found;
}

/** A request that names nothing but the host: the rest stays as it is, or the person is asked. */
export const NO_HOST_OPTIONS: Omit<SetHostRequest, keyof CommonRequest> = {
  title: undefined,
  way: undefined,
  file: undefined,
  server: undefined,
  keyName: undefined,
  algorithm: undefined,
  secret: undefined,
  command: undefined,
  transferServer: [],
  transferKey: undefined,
  transferSecret: undefined,
  nameServer: [],
  address: [],
  form: [],
  domain: [],
};

/** Say how a DNS host is reached: adds it to zandrel.yaml or changes it there, and names it in the files of domains. */
export async function setDnsHost(request: SetHostRequest, context: AppContext): Promise<Outcome<z.output<typeof setHostSchema>>> {
  const given = onlyOperand(request);
  // A title in place of a key becomes both.
  const key = KEY.test(given) ? given : keyFor(given);
  if (!KEY.test(key)) throw new Failure("host-key", { given });
  const { folder, settings } = openWorkspace(context.cwd, request.workspace);
  const known = settings.hosts[key];
  const way = await wayOf(request, known !== undefined, context);
  const publish = way === undefined ? undefined : await publishOf(request, way, known?.publish, context);
  const { authorityPort } = settings.defaults;
  const update = publish !== undefined && "server" in publish ? [String(publish.server)] : [];
  for (const server of [...update, ...request.address, ...request.transferServer]) hostServer(server, authorityPort);
  const title =
    request.title ?? (known !== undefined ? undefined : key === given ? `${key[0]?.toUpperCase()}${key.slice(1)}` : given);
  return lockWorkspace(folder, context, () => {
    const now = openWorkspace(folder, folder);
    const domains = request.domain.length === 0 ? [] : pickDomains(now, request.domain.map(nameOperand));
    const entry = writeHost(folder, key, {
      ...(title === undefined ? {} : { title }),
      ...(request.address.length === 0 ? {} : { servers: request.address }),
      ...(request.nameServer.length === 0 ? {} : { nameServers: request.nameServer.map((one) => withoutDot(one)) }),
      ...(publish === undefined ? {} : { publish }),
      ...transferOf(request, now.settings.hosts[key]?.transfer),
    });
    for (const domain of domains) changeDomain(domain, { host: key });
    return {
      ended: "fine",
      result: {
        key,
        title: entry.title,
        way: entry.way,
        became: known === undefined ? "added" : entry.changed ? "changed" : "unchanged",
        entry: entry.text,
        domains: domains.map(({ name }) => name),
      },
    };
  });
}

/** How whole zones are fetched, as zandrel.yaml writes it; what is not told stays as it was. */
function transferOf(
  { transferServer, transferKey, transferSecret }: SetHostRequest,
  before: Settings["hosts"][string]["transfer"],
): Record<string, unknown> {
  if (transferServer.length === 0 && transferKey === undefined && transferSecret === undefined) return {};
  const name = transferKey ?? (before?.key === undefined ? undefined : withoutRootDot(before.key.name));
  const secret = transferSecret ?? before?.key?.secret;
  if ((name === undefined) !== (secret === undefined)) throw new Failure("host-transfer", {});
  const servers = transferServer.length > 0 ? transferServer : (before?.servers ?? []);
  const algorithm =
    before?.key?.algorithm === undefined || before.key.algorithm === "hmac-sha256" ? {} : { algorithm: before.key.algorithm };
  return {
    transfer: {
      ...(servers.length === 0 ? {} : { servers }),
      ...(name === undefined ? {} : { key: { name, ...algorithm, secret } }),
    },
  };
}

/** Writes the entry; what zandrel.yaml cannot take is a mistake of the options. */
function writeHost(...given: Parameters<typeof setHost>): ReturnType<typeof setHost> {
  try {
    return setHost(...given);
  } catch (error) {
    if (error instanceof Failure && error.code === "yaml-value") {
      const { found, because } = error.params as { found: string; because: Clause };
      throw new Failure("host-entry", { found, because });
    }
    throw error;
  }
}

const withoutDot = (pattern: string): string =>
  pattern.startsWith("*") ? pattern.replace(/\.$/, "") : withoutRootDot(nameOperand(pattern));
