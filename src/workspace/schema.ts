import * as z from "zod";
import { PURPOSES, ROLES } from "../core/ask/index.ts";
import { clause, expects, issueOf } from "../core/clause/index.ts";
import { POLICIES } from "../core/dmarc/index.ts";
import { parseName } from "../core/name/index.ts";
import { givesAway, secretsIn } from "../secrets.ts";

/** A text for people on one line: no control characters, so that it can be shown as it is. */
const line = z
  .string()
  .regex(/^[^\x00-\x1f\x7f-\x9f]*$/, expects("one-line"))
  .min(1, expects("not-empty"));

/** What things are called in files and on the command line. */
export const KEY = /^[a-z0-9][a-z0-9-]{0,62}$/;

/** The key that a title becomes, such as `page-wick` for “Page Wick”; it may be none where the title has no letters. */
export const keyFor = (title: string): string =>
  title
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "");
const key = z.string().regex(KEY, expects("key"));

const domainName = z.string().transform((text, context) => {
  const parsed = parseName(text);
  if (parsed.ok && parsed.value !== ".") return parsed.value;
  const said = parsed.ok ? clause("expected-name") : clause("expected-other-name", { because: parsed.error.message });
  context.addIssue(issueOf(clause("expected-here", { said })));
  return z.NEVER;
});

/** Where a secret is kept; the secret itself never stands in a file that people review. */
const secret = z.string().regex(/^(env:[A-Za-z_][A-Za-z0-9_]*|file:.+)$/, expects("secret-place"));

const seconds = z.number().int(expects("whole-seconds")).min(0).max(0x7fffffff);

const day = z.union([z.string(), z.date()]).transform((value, context) => {
  const text = value instanceof Date ? value.toISOString().slice(0, 10) : value;
  if (/^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(Date.parse(text))) return text;
  context.addIssue({ code: "custom", message: expects("day") });
  return z.NEVER;
});

/** An address of the web that everybody may see: whoever gives a secret with it names where that is kept instead. */
const openAddress = (what: "https-address" | "web-address") =>
  z.url({ protocol: /^https?$/, error: expects(what) }).refine((text) => !givesAway(text), { message: expects("open-address") });

const vantage = z.strictObject({
  name: line,
  /** `system`, an address with or without a port, or an https URL. */
  resolver: line.refine((text) => !givesAway(text), { message: expects("open-address") }),
});

/** How the host's form wants records written (docs/workspace.md). */
const form = z.strictObject({
  apex: z.enum(["@", "empty", "full"]).default("@"),
  names: z.enum(["relative", "full"]).default("relative"),
  finalDot: z.enum(["required", "forbidden", "optional"]).default("optional"),
  txt: z.enum(["bare", "quoted"]).default("bare"),
  txtCut: z.number().int().min(0).max(255).default(0),
  priority: z.enum(["beside", "inside"]).default("beside"),
  ttl: z.union([z.literal("seconds"), z.array(seconds).min(1)]).default("seconds"),
  lacks: z.array(z.string()).default([]),
});

/** A shared secret with a name (RFC 8945). */
const tsig = z.strictObject({
  name: domainName,
  algorithm: z.enum(["hmac-sha256", "hmac-sha384", "hmac-sha512"]).default("hmac-sha256"),
  secret,
});

const publishing = z.discriminatedUnion("way", [
  z.strictObject({
    way: z.literal("update"),
    server: line,
    key: tsig,
  }),
  z.strictObject({ way: z.literal("zone-file"), file: line }),
  z.strictObject({ way: z.literal("helper"), command: z.array(line).min(1, expects("program")) }),
  z.strictObject({
    way: z.literal("approval"),
    /** Who asks the host for a grant: the name it knows Zandrel by, with a secret only where it wants one. */
    client: z
      .strictObject({
        id: line,
        secret: secret.optional(),
        /** The place of the host's interface, `HOST[:PORT]`, which alone is told the secret. */
        at: line.optional(),
      })
      .refine(({ secret, at }) => secret === undefined || at !== undefined, {
        message: expects("secret-at"),
        path: ["at"],
      })
      .optional(),
    /** For what is left to do by hand. */
    form: form.optional(),
  }),
  z.strictObject({ way: z.literal("by-hand"), form: form.optional() }),
]);

const host = z.strictObject({
  title: line,
  /** The host's name servers, `ADDRESS[:PORT]`, to look there even when the parent does not. */
  servers: z.array(line).default([]),
  /** Names of its name servers, such as `*.nettlehost.example`, by which a domain is recognised as served there. */
  nameServers: z.array(line).default([]),
  publish: publishing.default({ way: "by-hand" }),
  /** Who hands out its whole zones, beside its name servers, and the key that is wanted for it. */
  transfer: z.strictObject({ servers: z.array(line).default([]), key: tsig.optional() }).optional(),
});

const service = z.strictObject({
  title: line,
  /** Where the service can be asked (see docs/service-link.md), and the key it wants. */
  link: openAddress("web-address").optional(),
  key: secret.optional(),
  /** Where it takes messages over SMTP, where its link does not say so. */
  submission: z
    .strictObject({
      host: line,
      port: z.number().int().min(1).max(65_535),
      tls: z.enum(["starttls", "implicit"], expects("tls")),
      user: line,
      password: secret,
    })
    .optional(),
  /** The page on which it is told to verify, for people. */
  page: openAddress("web-address").optional(),
  /** Its event feed, where its link offers none: the id and the secret it signs with. */
  events: z.strictObject({ id: line, secret }).optional(),
  /** Where links to DNS hosts in its name have to be signed: for whom, the key's label, and the file of the private key. */
  signing: z.strictObject({ provider: line, label: line, key: line }).optional(),
  /** Its domain in CAA records, where it issues certificates. */
  issuer: line.optional(),
});

/** A time of the day, as minutes since midnight. */
const timeOfDay = z.string().transform((text, context) => {
  const [, hour, minute] = /^([01]?\d|2[0-3]):([0-5]\d)$/.exec(text) ?? [];
  if (hour !== undefined && minute !== undefined) return Number(hour) * 60 + Number(minute);
  context.addIssue({ code: "custom", message: expects("time-of-day") });
  return z.NEVER;
});

/** Whether nobody reads along on the way to an address: it is an https one, or one of this machine. */
const isPrivate = (address: string): boolean => {
  const { protocol, hostname } = new URL(address);
  return protocol === "https:" || /^(127(\.\d{1,3}){3}|\[::1\]|localhost)$/.test(hostname);
};

/** How somebody is told what the guard saw (docs/guard.md). */
const noticeWay = z.discriminatedUnion("way", [
  z.strictObject({
    way: z.literal("program"),
    command: z.array(line).min(1, expects("program")),
  }),
  z.strictObject({
    way: z.literal("post"),
    url: openAddress("https-address").refine(isPrivate, expects("https-address")),
    /** The name of the key, and the secret that signs (RFC 9421). */
    id: line,
    secret,
  }),
  z.strictObject({ way: z.literal("mail"), service: key, from: line, to: z.array(line).min(1, expects("one-address")) }),
]);
export type NoticeWay = z.output<typeof noticeWay>;

const guard = z.strictObject({
  ways: z.array(noticeWay).default([]),
  /** Hours in which only what is urgent is told, in this machine's time zone. */
  quiet: z.strictObject({ from: timeOfDay, until: timeOfDay }).optional(),
  /** Who is told as well when something is not mended after some hours. */
  escalate: z.strictObject({ after: z.number().min(1, expects("hours")), ways: z.array(noticeWay).min(1) }).optional(),
});

/** Whether a text is the address of a PostgreSQL database that holds no password. */
const isDatabase = (text: string): boolean => {
  try {
    const { protocol, password } = new URL(text);
    return /^postgres(?:ql)?:\/\//.test(text) && protocol !== "" && password === "" && secretsIn(text).length === 0;
  } catch {
    return false;
  }
};

export const settingsSchema = z.strictObject({
  version: z.literal(1, expects("file-version")),
  organisation: line,
  vantages: z.array(vantage).default([]),
  hosts: z.record(key, host).default({}),
  services: z.record(key, service).default({}),
  /** Kits from an address, known again by the SHA-256 of what was agreed to. */
  kits: z
    .record(
      key,
      z.strictObject({
        url: openAddress("https-address"),
        sha256: z.string().regex(/^[0-9a-f]{64}$/, expects("sha256")),
      }),
    )
    .default({}),
  /** Where the journal, events, reports and notices are kept: in the workspace, or in a PostgreSQL database that a team shares. */
  journal: z
    .string()
    .refine((text) => text === "here" || /^(env:[A-Za-z_][A-Za-z0-9_]*|file:.+)$/.test(text) || isDatabase(text), {
      message: expects("journal"),
    })
    .default("here"),
  /** Who is told what zandrel guard sees. */
  guard: guard.default({ ways: [] }),
  /** Trust anchors for DNSSEC: DS records as zone-file lines; the root's if not given, none where it is empty. */
  anchors: z.string(expects("zone-lines")).optional(),
  defaults: z
    .strictObject({
      ttl: seconds.default(3600),
      /** Port on which authoritative servers are asked; anything but 53 only makes sense in a lab. */
      authorityPort: z.number().int().min(1).max(65_535).default(53),
      /** Ports of web servers, likewise. */
      webPorts: z
        .strictObject({ http: z.number().int().min(1).max(65_535), https: z.number().int().min(1).max(65_535) })
        .default({ http: 80, https: 443 }),
    })
    .default({ ttl: 3600, authorityPort: 53, webPorts: { http: 80, https: 443 } }),
});
export type Settings = z.output<typeof settingsSchema>;

const webAddress = openAddress("web-address");

const ask = z.strictObject({
  id: key,
  service: key,
  purpose: z.enum(PURPOSES),
  asked: day.optional(),
  after: z.array(key).default([]),
  records: z.string(expects("zone-lines")).default(""),
  /** Records that have to go, because the service's page says so; zone-file lines. */
  remove: z.string(expects("zone-lines")).default(""),
  /** Terms for the domain's one SPF record, such as include:spf.heronpost.example. */
  spf: z.string(expects("spf-terms")).optional(),
  /** Terms that have to go from it, because those above replace them, no matter which ask they are from. */
  spfWithout: z.string(expects("spf-terms")).optional(),
  /** The least strict DMARC policy the service accepts. */
  dmarc: z.enum(POLICIES).optional(),
  note: z.string().optional(),
  /** How a DNS host that takes approvals knows it: a template of the open set-up format, with its variables. */
  template: z
    .strictObject({
      provider: line,
      service: line,
      group: line.optional(),
      host: line.optional(),
      variables: z.record(z.string(), z.string()).default({}),
      records: z.array(z.record(z.string(), z.unknown())).optional(),
      multiInstance: z.literal(true).optional(),
    })
    .optional(),
  /** Proof on the web instead of in the DNS: a meta tag in a page, or a file. */
  web: z
    .union([
      z.strictObject({ url: webAddress, meta: z.strictObject({ name: line, content: line }) }),
      z.strictObject({ url: webAddress, file: z.string().min(1) }),
    ])
    .optional(),
});

export const domainSchema = z.strictObject({
  domain: domainName,
  role: z.enum(ROLES).default("main"),
  host: key.optional(),
  /** Of a redirect domain: where it leads; the workspace's main domain if not given. */
  redirectTo: domainName.optional(),
  asks: z
    .array(ask)
    .nullish()
    .transform((asks) => asks ?? []),
});
export type DomainFile = z.output<typeof domainSchema>;
