import { randomFrom } from "./random.mjs";

/**
 * A grammar of the pages on which services say what they want: what is asked, how it is laid out, in which language, and what stands
 * around it. The truth of each page is known, so that a reading can be judged without anybody having looked at it.
 */
interface PageRecord {
  readonly type: string;
  /** As a page shows it: `@`, a host inside the domain. */
  readonly host: string;
  readonly value: string;
  readonly ttl?: number;
  readonly priority?: number;
}

export interface MadePage {
  readonly kind: string;
  readonly text: string;
  /** `HOST TYPE [PRIORITY ]VALUE`, one for each record, sorted. */
  readonly truth: readonly string[];
}

type Random = ReturnType<typeof randomFrom>;

const PAGE_DOMAIN = "brackwater.example";
const SERVICES = ["pigeonry", "tallowdesk", "wickerhall", "fennelmail", "quernpages"] as const;
const HEX = "0123456789abcdef";
const LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZabcdefghjkmnpqrstuvwxyz23456789";
const KEY =
  "MIGfMA0GCSqGSIb3DQEBAQUAA4GNADCBiQKBgQDDpch3vmBP6EiPSxO+NmGn2HN1o4aCQIhWX+OBA9EV0jnRAB6IYUXpDra/HsWH8sIEfLASVqG8AlTAJmOmmpXIGZMwsB5YrMy04YGkm5OwnXZ7dENF9FCPg27cV9ombcBOnTV1/ZbQvHHtJSWIIub6laAJYXVGBff1f7CPQI/ZbQIDAQAB";

const chars = ({ pick }: Random, of: string, length: number): string => Array.from({ length }, () => pick([...of])).join("");

/** Sets of records as services ask for them. */
const SETS: readonly ((r: Random, s: string) => PageRecord[])[] = [
  (r, s) => [
    {
      type: "TXT",
      host: r.pick(["@", `_${s}`, "@"]),
      value: `${s}-${r.pick(["verify", "claim", "owner"])}=${chars(r, HEX, 16)}`,
    },
  ],
  (r, s) => [{ type: "TXT", host: `_${s}-check`, value: `${s.slice(0, 2)}_${chars(r, LETTERS, 14)}` }],
  (r, s) => [
    { type: "CNAME", host: `${s.slice(0, 2)}1._domainkey`, value: `${s.slice(0, 2)}1.u${1000 + r.below(9000)}.${s}.example` },
    { type: "CNAME", host: `${s.slice(0, 2)}2._domainkey`, value: `${s.slice(0, 2)}2.u${1000 + r.below(9000)}.${s}.example` },
  ],
  (r, s) => [
    {
      type: "CNAME",
      host: r.pick(["www", "shop", "help", "status", "tickets", "blog"]),
      value: `${r.pick(["sites", "edge", "custom"])}.${s}.example`,
    },
  ],
  (r, s) => [
    { type: "A", host: "@", value: `203.0.113.${1 + r.below(250)}` },
    { type: "CNAME", host: "www", value: `sites.${s}.example` },
  ],
  (r) => {
    const host = r.pick(["@", "swap", "forum"]);
    return [
      { type: "A", host, value: `192.0.2.${1 + r.below(250)}` },
      { type: "AAAA", host, value: `2001:db8:${chars(r, HEX, 3).replace(/^0+/, "1")}::${1 + r.below(99)}` },
    ];
  },
  (_r, s) => [
    { type: "MX", host: "@", value: `mx1.${s}.example`, priority: 10 },
    { type: "MX", host: "@", value: `mx2.${s}.example`, priority: 20 },
  ],
  (_r, s) => [{ type: "TXT", host: "_dmarc", value: `v=DMARC1; p=none; rua=mailto:reports@in.${s}.example` }],
  (r, s) => [{ type: "TXT", host: `${s.slice(0, 3)}${1 + r.below(9)}._domainkey`, value: `v=DKIM1; k=rsa; p=${KEY}` }],
  (_r, s) => [
    { type: "TXT", host: "bounce", value: `v=spf1 include:_spf.${s}.example -all` },
    { type: "MX", host: "bounce", value: `feedback.${s}.example`, priority: 10 },
    { type: "CNAME", host: "click", value: `track.${s}.example` },
  ],
  (r, s) => [
    { type: "CNAME", host: `_${chars(r, HEX, 12)}`, value: `_${chars(r, HEX, 12)}.proof.${s}.example` },
    { type: "TXT", host: "@", value: `${s}-site-proof ${chars(r, HEX, 6)}` },
  ],
];

/** What the fields are called, in the languages that pages have. */
const LANGUAGES: readonly {
  readonly type: string[];
  readonly host: string[];
  readonly value: string[];
  readonly priority: string[];
  readonly ttl: string[];
}[] = [
  {
    type: ["Type", "Record type", "Kind", "Record"],
    host: ["Host", "Name", "Hostname", "Label", "Record name", "Host name"],
    value: ["Value", "Data", "Points to", "Target", "Content", "Answer", "Destination"],
    priority: ["Priority", "Preference", "Prio"],
    ttl: ["TTL", "Time to live"],
  },
  { type: ["Typ"], host: ["Name", "Hostname"], value: ["Wert", "Ziel", "Inhalt"], priority: ["Priorität"], ttl: ["TTL"] },
  { type: ["Type"], host: ["Nom", "Nom d'hôte"], value: ["Valeur", "Cible", "Contenu"], priority: ["Priorité"], ttl: ["TTL"] },
  { type: ["Tipo"], host: ["Nombre", "Host"], value: ["Valor", "Contenido"], priority: ["Prioridad"], ttl: ["TTL"] },
  { type: ["Soort", "Type"], host: ["Naam"], value: ["Waarde", "Doel"], priority: ["Prioriteit"], ttl: ["TTL"] },
];

interface Making {
  readonly r: Random;
  readonly records: readonly PageRecord[];
  readonly service: string;
  readonly words: {
    readonly type: string;
    readonly host: string;
    readonly value: string;
    readonly priority: string;
    readonly ttl: string;
  };
  /** The host as this page shows it. */
  readonly host: (record: PageRecord) => string;
  readonly ttl: number | undefined;
}

const whole = ({ value, priority }: PageRecord): string => (priority === undefined ? value : `${priority} ${value}`);
const hasPriority = ({ records }: Making): boolean => records.some(({ priority }) => priority !== undefined);

type Field = "type" | "host" | "value" | "priority" | "ttl";
const fieldsOf = (making: Making): Field[] => {
  const { r } = making;
  const order = r.pick<Field[]>([
    ["type", "host", "value"],
    ["host", "type", "value"],
    ["type", "host", "value"],
    ["host", "value", "type"],
  ]);
  return [
    ...order,
    ...(hasPriority(making) ? (["priority"] as const) : []),
    ...(making.ttl === undefined ? [] : (["ttl"] as const)),
  ];
};
const textOf = (making: Making, record: PageRecord, field: Field): string => {
  switch (field) {
    case "type":
      return record.type;
    case "host":
      return making.host(record);
    case "value":
      return record.value;
    case "priority":
      return record.priority === undefined ? "" : String(record.priority);
    case "ttl":
      return making.ttl === undefined ? "" : String(making.ttl);
  }
};

const BUTTONS = ["Copy", "Copied!", "Edit", "📋", "Copy to clipboard"];
const STATES = ["Pending", "Not verified", "Waiting", "✗ Missing", "Not found yet"];

const grid = (making: Making, between: string, more: { readonly numbers?: boolean; readonly states?: boolean } = {}): string => {
  const fields = fieldsOf(making);
  const rows = making.records.map((record, i) => [
    ...(more.numbers === true ? [String(i + 1)] : []),
    ...fields.map((field) => textOf(making, record, field)),
    ...(more.states === true ? [making.r.pick(STATES)] : []),
  ]);
  const headings = [
    ...(more.numbers === true ? ["#"] : []),
    ...fields.map((field) => making.words[field]),
    ...(more.states === true ? ["Status"] : []),
  ];
  return [headings, ...rows].map((row) => row.join(between)).join("\n");
};

/** One record as a card: its fields one below the other. */
const cards = (making: Making, line: (label: string, text: string, field: Field) => string): string => {
  const fields = fieldsOf(making);
  return making.records
    .map((record) =>
      fields
        .filter((field) => textOf(making, record, field) !== "")
        .map((field) => line(making.words[field], textOf(making, record, field), field))
        .join("\n"),
    )
    .join("\n\n");
};

const marked = (r: Random, text: string): string => r.pick([`"${text}"`, `“${text}”`, `\`${text}\``, `'${text}'`]);
const apexOr = (making: Making, record: PageRecord): string => making.host(record);
const needsWhole = ({ value }: PageRecord): boolean => /\s/.test(value);

/** Ways to lay records out. */
export const KINDS: Readonly<Record<string, (making: Making) => string>> = {
  "table with tabs": (m) => grid(m, "\t"),
  "table with numbers and states": (m) => grid(m, "\t", { numbers: true, states: true }),
  "table with bars": (m) => {
    const [head = "", ...rows] = grid(m, " | ").split("\n");
    return [head, head.replace(/[^|]+/g, " --- "), ...rows].map((row) => `| ${row} |`).join("\n");
  },
  "bars without a frame": (m) => {
    const [head = "", ...rows] = grid(m, " | ").split("\n");
    return [head, head.replace(/[^|]+/g, " --- ").trim(), ...rows].join("\n").replace(/(?<=\s|\.)_/g, "\\_");
  },
  "table aligned with blanks": (m) => {
    const rows = grid(m, "\t")
      .split("\n")
      .map((row) => row.split("\t"));
    const width = (i: number) => Math.max(...rows.map((row) => (row[i] ?? "").length)) + 3;
    return rows
      .map((row) =>
        row
          .map((cell, i) => cell.padEnd(width(i)))
          .join("")
          .trimEnd(),
      )
      .join("\n");
  },
  "cells one to a line, with headings": (m) => {
    const filled = hasPriority(m) && m.records.some(({ priority }) => priority === undefined);
    return grid(m, "\n")
      .split("\n")
      .filter((cell) => !filled || cell !== "")
      .join("\n");
  },
  "cells one to a line": (m) =>
    m.records
      .map((record) =>
        [record.type, m.host(record), ...(record.priority === undefined ? [] : [String(record.priority)]), record.value].join(
          "\n",
        ),
      )
      .join("\n"),
  "cards with colons": (m) => cards(m, (label, text) => `${label}: ${text}`),
  "cards with the label above": (m) => cards(m, (label, text) => `${label}\n${text}`),
  "cards with buttons between": (m) => {
    const button = m.r.pick(BUTTONS);
    return cards(m, (label, text) => `${label}\n${button}\n${text}`);
  },
  "cards with buttons behind": (m) => {
    const button = m.r.pick(BUTTONS);
    return cards(m, (label, text) => `${label}\n${text}\n${button}`);
  },
  "definition list": (m) => cards(m, (label, text) => `${label}\t${text}`),
  "labels and blanks": (m) => cards(m, (label, text) => `${label.padEnd(14)}  ${text}`),
  "cards with bullets and bold": (m) => cards(m, (label, text) => `* **${label}:** ${text.includes("*") ? text : `\`${text}\``}`),
  "numbered records": (m) =>
    m.records
      .map((record, i) =>
        [
          `Record ${i + 1} of ${m.records.length}`,
          ...fieldsOf(m).map((field) => `${m.words[field]}: ${textOf(m, record, field)}`),
        ]
          .filter((line) => !line.endsWith(": "))
          .join("\n"),
      )
      .join("\n"),
  "fields in a row with bars": (m) =>
    m.records
      .map((record) =>
        fieldsOf(m)
          .map((field) => `${m.words[field]}: ${textOf(m, record, field)}`)
          .filter((part) => !part.endsWith(": "))
          .join(" | "),
      )
      .join("\n"),
  "fields in a row with commas": (m) =>
    m.records
      .map((record) =>
        fieldsOf(m)
          .map((field) => `${m.words[field]}: ${textOf(m, record, field)}`)
          .filter((part) => !part.endsWith(": "))
          .join(", "),
      )
      .join("\n"),
  "quoted mail": (m) => cards(m, (label, text) => `> ${label}: ${text}`),
  "record spread over steps": (m) =>
    m.records
      .map((record, i) =>
        [
          i === 0 ? "Sign in to your DNS host and open the DNS settings." : "Add another record.",
          `${m.r.pick(["Create a", "Choose", "Select"])} ${record.type}${m.r.pick([" record.", " as the type.", " record"])}`.replace(
            "Create a A",
            "Create an A",
          ),
          m.r.pick([
            `As host, enter ${apexOr(m, record)}`,
            `In the host field, enter ${apexOr(m, record)}`,
            `Host: ${apexOr(m, record)}`,
            `Enter ${marked(m.r, apexOr(m, record))} as the name.`,
          ]),
          ...(record.priority === undefined ? [] : [`Priority: ${record.priority}`]),
          m.r.pick([`As value, paste ${record.value}`, `In the value field, paste ${record.value}`, `Value: ${record.value}`]),
          "Save.",
        ].join("\n"),
      )
      .join("\n")
      .split("\n")
      .map((line, i) => `${i + 1}. ${line}`)
      .join("\n"),
  "a record to a step": (m) =>
    m.records
      .map(
        (record, i) =>
          `${i + 1}. ${record.type} record, name ${record.host === "@" ? m.r.pick(["@", "empty"]) : m.host(record)}${record.priority === undefined ? "" : `, priority ${record.priority}`}, value ${needsWhole(record) ? marked(m.r, record.value) : record.value}`,
      )
      .join("\n"),
  "sentence with host and value": (m) =>
    m.records
      .map(
        (record) =>
          `${m.r.pick(["Add", "Create", "Set up"])} ${record.type === "A" || record.type === "AAAA" || record.type === "MX" ? "an" : "a"} ${record.type} record with the ${m.r.pick(["host", "name"])} ${marked(m.r, m.host(record))} and the value ${marked(m.r, whole(record))}.`,
      )
      .join("\n"),
  "sentence that points": (m) =>
    m.records
      .map((record) =>
        record.type === "CNAME"
          ? `Create a CNAME record ${m.r.pick(["for", "named"])} ${marked(m.r, m.host(record))} ${m.r.pick(["pointing to", "that points to"])} ${record.value}.`
          : `Create ${/^[AM]/.test(record.type) ? "an" : "a"} ${record.type} record ${m.r.pick(["for", "at"])} ${marked(m.r, m.host(record))} ${record.type === "TXT" ? "containing" : "pointing to"} ${needsWhole(record) || record.type === "TXT" ? marked(m.r, record.value) : record.value}${record.priority === undefined ? "" : ` with priority ${record.priority}`}.`,
      )
      .join("\n"),
  "sentences for each field": (m) =>
    m.records
      .map(
        (record) =>
          `Choose ${record.type} as the type. For the host enter ${m.host(record)}, and for the value enter ${needsWhole(record) ? marked(m.r, record.value) : record.value}${record.priority === undefined ? "" : `; the priority is ${record.priority}`}.`,
      )
      .join("\n"),
  arrows: (m) =>
    m.records.map((record) => `${record.type} ${m.host(record)} ${m.r.pick(["->", "→", "=>"])} ${whole(record)}`).join("\n"),
  slashes: (m) => m.records.map((record) => `New record: ${record.type} / ${m.host(record)} / ${whole(record)}`).join("\n"),
  dashes: (m) => {
    const dash = m.r.pick(["–", "—", "-"]);
    return m.records.map((record) => `${m.host(record)} ${dash} ${record.type} ${dash} ${whole(record)}`).join("\n");
  },
  "zone file": (m) =>
    m.records
      .map((record) => {
        const value =
          record.type === "TXT" ? `"${record.value}"` : /^(?:CNAME|MX)$/.test(record.type) ? `${whole(record)}.` : record.value;
        return `${m.host(record).endsWith(PAGE_DOMAIN) ? `${m.host(record)}.` : m.host(record)} ${m.ttl ?? 3600} IN ${record.type} ${value}`;
      })
      .join("\n"),
  "zone file without dots": (m) =>
    m.records
      .map((record) => `${m.host(record)} IN ${record.type} ${record.type === "TXT" ? `"${record.value}"` : whole(record)}`)
      .join("\n"),
  csv: (m) =>
    grid(m, ",")
      .split("\n")
      .map((row) =>
        row
          .split(",")
          .map((cell) => (/[;\s]/.test(cell) ? `"${cell}"` : cell))
          .join(","),
      )
      .join("\n"),
  "json objects": (m) =>
    JSON.stringify(
      {
        records: m.records.map((record) => ({
          type: record.type,
          name: m.host(record),
          [m.r.pick(["value", "data", "content"])]: record.value,
          ...(record.priority === undefined ? {} : { priority: record.priority }),
        })),
      },
      null,
      m.r.pick([0, 2]),
    ),
  "json lines of a zone file": (m) =>
    JSON.stringify(
      m.records.map(
        (record) => `${m.host(record)} 300 IN ${record.type} ${record.type === "TXT" ? `"${record.value}"` : whole(record)}`,
      ),
      null,
      2,
    ),
  "a piece of json": (m) =>
    m.records
      .map(
        (record) =>
          `      "recordType": "${record.type}",\n      "recordName": "${m.host(record)}",\n      "recordValue": "${whole(record)}",\n      "status": null\n    },`,
      )
      .join("\n    {\n"),
  yaml: (m) =>
    m.records
      .map(
        (record) =>
          `- type: ${record.type}\n  name: "${m.host(record)}"\n  value: '${record.value}'${record.priority === undefined ? "" : `\n  priority: ${record.priority}`}`,
      )
      .join("\n"),
  "source of a table": (m) => {
    const rows = grid(m, "\t")
      .split("\n")
      .map((row) => row.split("\t"));
    const cell = (text: string, tag: string) => `<${tag}>${text.replaceAll("&", "&amp;").replaceAll('"', "&quot;")}</${tag}>`;
    return `<table>\n${rows.map((row, i) => `<tr>${row.map((text) => cell(text, i === 0 ? "th" : "td")).join("")}</tr>`).join("\n")}\n</table>`;
  },
  "from and to": (m) =>
    m.records.map((record) => `Add this ${record.type}\n\nFrom\n${m.host(record)}\n\nTo\n${whole(record)}`).join("\n\n"),
  "an answer of the DNS": (m) =>
    m.records
      .map(
        (record) =>
          `${record.host === "@" ? PAGE_DOMAIN : `${record.host}.${PAGE_DOMAIN}`}.\t300\tIN\t${record.type}\t${record.type === "TXT" ? `"${record.value}"` : record.type === "A" || record.type === "AAAA" ? record.value : `${whole(record)}.`}`,
      )
      .join("\n"),
  "sections with equals signs": (m) =>
    m.records
      .map(
        (record, i) =>
          `[record ${i + 1}]\ntype = ${record.type}\nname = ${m.host(record)}\nvalue = ${record.value}${record.priority === undefined ? "" : `\npriority = ${record.priority}`}`,
      )
      .join("\n\n"),
  "a table on its side": (m) =>
    fieldsOf(m)
      .map((field) => [m.words[field], ...m.records.map((record) => textOf(m, record, field) || "-")].join("\t"))
      .join("\n"),
  "fields in a row with semicolons": (m) =>
    m.records
      .map(
        (record) =>
          `${m.words.host}: ${m.host(record)}; ${m.words.type}: ${record.type}; ${record.priority === undefined ? "" : `${m.words.priority}: ${record.priority}; `}${m.words.value}: ${record.value}`,
      )
      .join("\n"),
  "the value first": (m) =>
    m.records
      .map(
        (record) =>
          `Publish ${marked(m.r, whole(record))} at ${marked(m.r, m.host(record))} as ${/^[AM]/.test(record.type) ? "an" : "a"} ${record.type} record.`,
      )
      .join("\n"),
  "dotted leaders": (m) => cards(m, (label, text) => `${label} ${".".repeat(20 - label.length)} ${text}`),
  "sentences in German": (m) =>
    m.records
      .map(
        (record) =>
          `Legen Sie einen ${record.type}-Eintrag mit dem Namen „${m.host(record)}“ und dem Wert „${whole(record)}“ an.`,
      )
      .join("\n"),
  "sentences in French": (m) =>
    m.records
      .map(
        (record) => `Ajoutez un enregistrement ${record.type} avec le nom "${m.host(record)}" et la valeur "${whole(record)}".`,
      )
      .join("\n"),
  "remarks in brackets": (m) =>
    m.records
      .map(
        (record) =>
          `${m.words.type} (choose this): ${record.type}\n${m.words.host} (without your domain): ${m.host(record)}\n${m.words.value} (copy it whole): ${whole(record)}`,
      )
      .join("\n\n"),
  "chat with an arrow": (m) =>
    m.records
      .map(
        (record) =>
          `${m.r.pick(["hey, can you add", "please add", "we also need"])} ${record.type.toLowerCase()} ${record.type === "A" ? "record " : ""}${m.host(record)} -> ${whole(record)}, ttl 300?`,
      )
      .join("\n"),
};

const GREETINGS = [
  "Hi there,\n\nplease add the following to your DNS:\n",
  "Almost done! To verify your domain, add these records at your DNS host.\n",
  "Step 2 of 3 – Connect your domain\n",
  "To activate your account, publish what is below. It can take up to 48 hours until we see it.\n",
  "Log in to your DNS host and add the records:\n",
  "",
  "",
];
const FEET = [
  "\nDNS changes may take up to 24 hours. Then press Verify.",
  "\n[ Back ]  [ Verify ]",
  "\nNeed help? Write to support@pigeonry.example or see help.pigeonry.example.",
  "\nThanks,\nJuno\n\nSent from my pocket",
  "\nVersion 4.12.0.1 © 2026",
  "",
  "",
  "",
];

/** What a browser, a mail program or a reader of documents makes of a page that is copied. */
const COPYING: readonly ((text: string) => string)[] = [
  (text) => text,
  (text) => text,
  (text) => text,
  (text) => text.replaceAll("\n", "\r\n"),
  (text) =>
    text
      .split("\n")
      .map((line) => `${line}  `)
      .join("\n"),
  (text) =>
    text
      .split("\n")
      .map((line) => (line === "" ? line : `  ${line}`))
      .join("\n"),
  (text) => text.replace(/ (?=\S)/g, "\u00a0"),
];

/** One page of a kind; the same seed makes the same page. */
export function makePage(kind: string, seed: number): MadePage {
  const r = randomFrom(seed);
  const service = r.pick(SERVICES);
  const records = r.pick(SETS)(r, service);
  const language = r.pick([LANGUAGES[0], LANGUAGES[0], LANGUAGES[0], ...LANGUAGES]) as (typeof LANGUAGES)[number];
  const isFull = r.random() < 0.3;
  const making: Making = {
    r,
    records,
    service,
    words: {
      type: r.pick(language.type),
      host: r.pick(language.host),
      value: r.pick(language.value),
      priority: r.pick(language.priority),
      ttl: r.pick(language.ttl),
    },
    host: ({ host }) => (isFull ? (host === "@" ? PAGE_DOMAIN : `${host}.${PAGE_DOMAIN}`) : host),
    ttl: r.random() < 0.3 ? 3600 : undefined,
  };
  const body = (KINDS[kind] as (making: Making) => string)(making);
  const isCode = /json|source|yaml|csv|zone|answer/.test(kind);
  const text = isCode && r.random() < 0.7 ? body : `${r.pick(GREETINGS)}${body}\n${r.pick(FEET)}`;
  return {
    kind,
    text: isCode ? text : r.pick(COPYING)(text),
    truth: records
      .map((record) => `${record.host === "@" ? PAGE_DOMAIN : `${record.host}.${PAGE_DOMAIN}`} ${record.type} ${whole(record)}`)
      .sort(),
  };
}
