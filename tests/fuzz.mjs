import { createHash, generateKeyPairSync } from "node:crypto";
import { parseArgs } from "node:util";
import { internals } from "../internals.mjs";
import { randomFrom } from "./random.mjs";
import { obeysAbnf } from "./spf-abnf.mjs";

const {
  authenticationResults,
  BETWEEN,
  clause,
  closedPages,
  inWords,
  keyRecordText,
  readMailDomain,
  scanMessage,
  understand,
  Signatures,
  signedMessage,
  textPages,
  WAYS,
  verifySignatures,
  checkSpf,
  enhancedStatus,
  eventBatch,
  isSpf,
  judgeMessage,
  name,
  parseHeader,
  parseMailboxes,
  parseName,
  outcomeOf,
  KINDS,
  makePage,
  outcomeOfPage,
  outcomeOfPair,
  ReportReader,
  readDmarcRecord,
  readKeyRecord,
  readSignature,
  readSpfRecord,
  readZone,
  zoneLookup,
  zonesOf,
} = await internals(
  "core/aggregate/index.ts",
  "core/ask/intake/index.ts",
  "core/clause/index.ts",
  "core/dkim/index.ts",
  "core/dmarc/index.ts",
  "core/lookup/index.ts",
  "core/message/index.ts",
  "core/name/index.ts",
  "core/record/index.ts",
  "core/sending/index.ts",
  "core/spf/index.ts",
  "core/verdict/index.ts",
  "core/zone/index.ts",
  "present/clauses/index.ts",
  "../tests/pages.ts",
  "../tests/paste-changes.ts",
);
// Throws generated inputs at everything that reads text from outside: npm run fuzz [-- INPUTS [SEED]]
// An input fails where something throws, where a law does not hold, or where one input takes longer than a second.

const EVENT =
  '{"id":"e1","kind":"returned","at":"2026-03-02T09:00:00Z","messageId":"m@x","domain":"x.example","to":"a@b.example"}';
const EVENTS = [
  '{"version":1,"events":[',
  EVENT,
  ",",
  "]}",
  '{"version":2',
  "[",
  "null",
  '"at":"never"',
  EVENT.replace("returned", "x"),
];

const { values: given } = parseArgs({
  options: { inputs: { type: "string" }, seconds: { type: "string" }, seed: { type: "string" } },
});
/** As many inputs as were asked for, or as many as the seconds allow. */
const total =
  given.inputs === undefined && given.seconds !== undefined ? Number.POSITIVE_INFINITY : Number(given.inputs ?? 2_000_000);
const until = given.seconds === undefined ? Number.POSITIVE_INFINITY : performance.now() + Number(given.seconds) * 1000;
const seed = Number(given.seed ?? Date.now() % 2 ** 31);

const { random, below, pick } = randomFrom(seed);
const many = (most, one) => Array.from({ length: below(most + 1) }, one).join("");
const octet = () => String.fromCharCode(below(256));
const noise = () => many(20, octet);

const SPF = [
  "v=spf1",
  " ",
  "+",
  "-",
  "~",
  "?",
  "all",
  "include:",
  "a",
  "mx",
  "ptr",
  "ip4:192.0.2.1",
  "ip6:2001:db8::1",
  "/24",
  "//64",
  "/33",
  "exists:",
  "redirect=",
  "exp=",
  "brackwater.example",
  "%{i}",
  "%{d2r}",
  "%{",
  "%%",
  ".",
  ":",
  "=",
  "x",
  "ip4:",
  "::ffff:192.0.2.1",
];
const TAGS = [
  "v=1",
  "v=DKIM1",
  "v=DMARC1",
  "a=rsa-sha256",
  "a=ed25519-sha256",
  "b=AAAA",
  "bh=AAAA",
  "c=relaxed/simple",
  "d=brackwater.example",
  "h=from:to",
  "s=k1",
  "i=@brackwater.example",
  "l=5",
  "t=1",
  "x=2",
  "p=reject",
  "p=none",
  "sp=none",
  "np=x",
  "rua=mailto:a@b.example!10m",
  "k=rsa",
  "k=ed25519",
  "p=",
  "p=MIGfMA0GCSqGSIb3DQEBAQUAA4GNADCBiQKBgQ",
  "p=11qYAYKxCrfVS/7TyWQHOg7hcvPapiMlrwIaaPcHURo=",
  "t=y",
  "pct=5",
  ";",
  "; ",
  ";;",
  "=",
  "\r\n\t",
  " ",
];
const MAIL = [
  "From: ",
  "a@brackwater.example",
  "<",
  ">",
  ",",
  ";",
  ":",
  '"',
  "(",
  ")",
  "\\",
  "@",
  "[192.0.2.1]",
  "=?utf-8?q?a?=",
  "=?utf-8?b?",
  "Received: from a (b [192.0.2.9]) by c\r\n",
  "Return-Path: <>\r\n",
  "DKIM-Signature: v=1; a=rsa-sha256; b=AAAA; bh=AAAA; d=brackwater.example; h=from; s=k1\r\n",
  "Subject: x",
  "\r\n",
  "\n",
  "\r",
  "\r\n\r\n",
  "\t",
  " ",
  "\0",
  "body",
  "ü",
  "List-Unsubscribe: <https://b.example>\r\n",
];
const ZONE = [
  "@",
  "www",
  " ",
  "\t",
  "IN",
  "A",
  "TXT",
  "MX",
  "192.0.2.1",
  "10",
  "mail.example.",
  '"',
  "\\",
  "\\065",
  "(",
  ")",
  ";",
  "\n",
  "$ORIGIN",
  "$TTL",
  "1h",
  "SOA",
  "CNAME",
  "example.",
  "a b 1 1 1 1 1",
];
const REPORT = [
  "<feedback>",
  "</feedback>",
  "<report_metadata><org_name>a</org_name><report_id>1</report_id><date_range><begin>1772323200</begin></date_range></report_metadata>",
  "<policy_published><domain>brackwater.example</domain></policy_published>",
  "<record>",
  "</record>",
  "<row><source_ip>192.0.2.1</source_ip><count>1</count></row>",
  "<identifiers>",
  "<auth_results><dkim><result>pass</result></dkim></auth_results>",
  "<count>-1</count>",
  "<!DOCTYPE a>",
  "&amp;",
  "&b;",
  "<",
  ">",
  "]]>",
  "<![CDATA[",
  " ",
  "x",
];
const built = (words, most) => many(most, () => (random() < 0.05 ? noise() : pick(words)));

const lookup = zoneLookup(
  zonesOf(
    readZone(
      '$TTL 60\n. SOA a. b. 1 1 1 1 60\nbrackwater.example. TXT "v=spf1 include:brackwater.example mx a:%{l}.brackwater.example -all"\n_dmarc.brackwater.example. TXT "v=DMARC1; p=reject"\nk1._domainkey.brackwater.example. TXT "v=DKIM1; p=AAAA"\n',
    ),
  ),
);

const pair = generateKeyPairSync("ed25519");
const keys = zoneLookup(
  zonesOf(
    readZone(`$TTL 60\n. SOA a. b. 1 1 1 1 60\ned._domainkey.brackwater.example. TXT "${keyRecordText(pair.publicKey)}"\n`),
  ),
);

/** RFC 8601 section 2.2, put together from the names of its grammar. */
const TOKEN = "[!#$%&'*+.0-9A-Z^_`a-z{|}~-]+";
const QUOTED = '"(?:[\\x20\\x21\\x23-\\x5b\\x5d-\\x7e\\x80-\\uffff]|\\\\[\\x20-\\x7e])*"';
const ATEXT = "[!#$%&'*+/0-9=?A-Z^_`a-z{|}~-]+";
const LABEL = "[A-Za-z0-9](?:[A-Za-z0-9-]*[A-Za-z0-9])?";
const PVALUE = `(?:${TOKEN}|${QUOTED}|(?:(?:${ATEXT}(?:\\.${ATEXT})*|${QUOTED})?@)?${LABEL}(?:\\.${LABEL})+)`;
const AUTHENTICATION_RESULTS = new RegExp(
  `^Authentication-Results: (?:${TOKEN}|${QUOTED})(?:;\\s+${LABEL}=${LABEL}(?: \\([^()\\\\]*\\))?(?: ${LABEL}\\.${LABEL}=${PVALUE})*)+$`,
);

/** What may be wrong once in a thousand times, and how often it was. */
const misreads = {};
const seldom = (target, isWrong) => {
  const seen = (misreads[target] ??= { inputs: 0, wrong: 0 });
  seen.inputs += 1;
  seen.wrong += Number(isWrong);
  return seen.wrong <= 2 + seen.inputs / 1000;
};
const [closed, texts] = [closedPages(), textPages()];
/** One of each list, by what a text comes to. */
const chosen = (text, ...lists) => lists.map((list, i) => list[hash(`${i}${text}`) % list.length]);
const hash = (text) => createHash("sha256").update(text).digest().readUInt32BE();

/** Each reads one generated input; what it returns must hold. */
const TARGETS = {
  "SPF record": (text) => {
    const parsed = readSpfRecord(text);
    return parsed.ok
      ? isSpf(text) && parsed.value.terms.every((term) => text.startsWith(term.text, term.at))
      : parsed.error.length > 0;
  },
  // What is understood of a paste without a repair stands in it, letter by letter.
  paste: (text) => {
    const read = understand({ text, domain: name("brackwater.example"), ttl: 3600, choices: new Map() });
    return read.records.every(
      ({ record: { type, data } }) =>
        type !== "TXT" ||
        read.repairs.length > 0 ||
        text.includes(Buffer.from(data.strings.join(""), "latin1").toString("utf8")) ||
        /[\\&"<]/.test(text),
    );
  },
  // The generated input chooses the pages and what becomes of them.
  "page behind page": (text) => {
    const [first, second, [, between]] = chosen(text, closed, closed, BETWEEN);
    return first === second || seldom("page behind page", outcomeOfPair(first, between, second) === "misread");
  },
  "page on its way": (text) => {
    const [page, [, change]] = chosen(text, texts, WAYS);
    return seldom("page on its way", outcomeOf(change(page.text), page.content) === "misread");
  },
  "page of a kind": (text) => {
    const [kind] = chosen(text, Object.keys(KINDS));
    return seldom("page of a kind", outcomeOfPage(makePage(kind, hash(text))) === "misread");
  },
  "SPF grammar": (text) => readSpfRecord(text).ok === obeysAbnf(text),
  "domain in mail": (text) => {
    const read = readMailDomain(text);
    return !read.ok || (/^[a-z0-9_.-]+\.$/.test(read.value) && !/[\\\s]|\.$/.test(text) && parseName(text).value === read.value);
  },
  "Authentication-Results": async (text) => {
    const [mailFrom = "", helo = "", receiver = ""] = text.split("|");
    const judged = await judgeMessage(
      { chunks: () => [Buffer.from("From: a@brackwater.example\r\n\r\n")] },
      { envelope: { ip: "192.0.2.1", helo, mailFrom }, lookup, now: 0 },
    );
    return judged.ok && AUTHENTICATION_RESULTS.test(authenticationResults(receiver, judged.value));
  },
  "DKIM round trip": async (text) => {
    const body = text.replaceAll("From:", "from:");
    const length = random() < 0.2 ? below(3) : undefined;
    const options = {
      ...{ domain: name("brackwater.example"), selector: "ed", key: pair.privateKey, signedAt: 10 },
      ...{ header: pick(["simple", "relaxed"]), body: pick(["simple", "relaxed"]) },
      ...(random() < 0.3
        ? {
            fields: ["from", ...Array.from({ length: below(4) }, () => pick(["to", "subject", "x-a", "dkim-signature", "from"]))],
          }
        : {}),
      ...(random() < 0.2 ? { expires: 2_000_000_000 } : {}),
      ...(random() < 0.2 ? { identity: pick(["@brackwater.example", "a+b=c@news.brackwater.example"]) } : {}),
      ...(length === undefined ? {} : { length }),
    };
    const message = Buffer.from(
      `DKIM-Signature: v=1; d=x.example\r\nFrom: a@brackwater.example\r\nSubject:  x \t y\r\n\r\n${body}`,
      "latin1",
    );
    const sealed = await signedMessage(message, options);
    if (sealed === undefined) return false;
    const cuts = [0, ...Array.from({ length: below(6) }, () => below(sealed.length)), sealed.length].sort((a, b) => a - b);
    const chunks = cuts.slice(1).map((end, i) => sealed.subarray(cuts[i], end));
    let signatures;
    const header = await scanMessage({ chunks: () => chunks.filter((one) => one.length > 0) }, (found) => {
      signatures = new Signatures(found);
      return signatures.sinks;
    });
    if (!header.ok) return false;
    const [verdict] = await verifySignatures(signatures, header.value, keys, 100);
    return verdict.result === "pass" || (length !== undefined && verdict.reason === "body-cut");
  },
  "SPF evaluation": async (text) => {
    const safe = text
      .replace(/[^\x21-\x7e ]/g, "")
      .slice(0, 250)
      .replace(/["\\]/g, "");
    const zone = zoneLookup(zonesOf(readZone(`$TTL 60\n. SOA a. b. 1 1 1 1 60\nbrackwater.example. TXT "${safe}"\n`)));
    const { lookups, voidLookups } = await checkSpf({ ip: "192.0.2.1", from: "x@brackwater.example", helo: "h" }, zone);
    return lookups <= 11 && voidLookups <= 3;
  },
  "DKIM signature": (text) =>
    typeof readSignature(
      parseHeader(`DKIM-Signature: ${text.replaceAll("\r\n\r\n", "")}`).fields[0] ?? { name: "x", raw: "x:", colon: 1 },
    ).ok === "boolean",
  "DKIM key": (text) => {
    const key = readKeyRecord([text.slice(0, text.length / 2), text.slice(text.length / 2)]);
    return (key.key === undefined) === (key.problem !== undefined);
  },
  "DMARC record": (text) => {
    const parsed = readDmarcRecord(text);
    return parsed.ok || parsed.error.length > 0;
  },
  addresses: (text) => {
    const parsed = parseMailboxes(text);
    return !parsed.ok || parsed.value.every((one) => one.address.includes("@"));
  },
  header: (text) => parseHeader(text).fields.every((field) => field.raw[field.colon] === ":"),
  message: async (text) => {
    const octets = Buffer.from(text, "latin1");
    const cut = below(octets.length + 1);
    const source = { chunks: () => [octets.subarray(0, cut), octets.subarray(cut)].filter((one) => one.length > 0) };
    const judged = await judgeMessage(source, {
      envelope: random() < 0.5 ? {} : { ip: "192.0.2.1", helo: "h.example", mailFrom: "a@brackwater.example" },
      lookup,
      now: 0,
    });
    return judged.ok
      ? !/[\r\n](?!\t|\n)/.test(authenticationResults("mx", judged.value).replaceAll("\r\n\t", ""))
      : octets.length === 0;
  },
  report: (text) => {
    let rows = 0;
    const reader = new ReportReader(() => rows++);
    const cut = below(text.length + 1);
    reader.write(text.slice(0, cut));
    reader.write(text.slice(cut));
    const ended = reader.end(1_772_442_000);
    return "head" in ended ? ended.head.domain.endsWith(".") : inWords(ended.problem.because) !== "";
  },
  name: (text) => {
    const parsed = parseName(text);
    return parsed.ok ? parseName(parsed.value).value === parsed.value : inWords(parsed.error.message) !== "";
  },
  "server reply": (text) => {
    const status = enhancedStatus(text);
    return (
      status === undefined ||
      (text.includes(status.code) &&
        inWords(clause("status-code", status)).startsWith({ 4: "not now: ", 5: "refused for good: " }[status.class] ?? ""))
    );
  },
  "event batch": (text) => {
    let read;
    try {
      read = JSON.parse(text);
    } catch {
      read = text;
    }
    const parsed = eventBatch.safeParse(read);
    return !parsed.success || parsed.data.events.every((event) => !Number.isNaN(Date.parse(event.at)) && event.id !== "");
  },
  "zone file": (text) => readZone(text, { origin: name("brackwater.example") }).text === text,
};
const WORDS = {
  "SPF record": SPF,
  "SPF grammar": [
    ...SPF,
    "%{d0}",
    "%{c}",
    "%_",
    "%-",
    "/0",
    "/32",
    "//128",
    "//0",
    "/24",
    "x.example",
    "1.2.3",
    "-a",
    "_",
    "::1",
    "1::",
    "fe80::1",
    " exp=%{d}.x",
    "v=spf1",
    "r=",
    "0",
  ],
  "domain in mail": [
    "a",
    "B",
    "-",
    "_",
    ".",
    "\\",
    "\\046",
    "\\.",
    " ",
    "xn--",
    "ü",
    "@",
    "[",
    "]",
    "(",
    "1",
    "example",
    "\u200b",
    "。",
    "\t",
  ],
  "Authentication-Results": [
    "|",
    "a",
    "@",
    ".",
    "brackwater.example",
    "b",
    "/",
    "=",
    ";",
    '"',
    "\\",
    "(",
    ")",
    " ",
    "[192.0.2.1]",
    ":",
    "ü",
    "\r\n",
    "\0",
    "_",
    "-",
    "%",
    "+",
  ],
  "DKIM round trip": ["a", " ", "\t", "\r\n", "\n", "\r", "ü", ".", "  \r\n", "\r\n\r\n", "\0", "From: x\r\n"],
  "SPF evaluation": SPF,
  "DKIM signature": TAGS,
  "DKIM key": TAGS,
  "DMARC record": TAGS,
  addresses: MAIL,
  header: MAIL,
  message: MAIL,
  name: ["a", "-", ".", "\\", "\\046", "xn--", "ü", "_", "@", "*", "brackwater.example"],
  "zone file": ZONE,
  report: REPORT,
  "server reply": ["550", "452", "250", " ", "-", "5.1.1", "4.2.2", "2.0.0", "5.7.26", "5.", ".1", "no such user", "\r\n", ";"],
  "event batch": EVENTS,
  paste: [
    ...["Type", "Host", "Value", "Name", "TTL", "Points to", "Priority", "TXT", "CNAME", "A", "MX", "@", "www", "_pw", "*"],
    ...[
      ": ",
      "\t",
      "\n",
      " | ",
      "  ",
      " ",
      ",",
      ";",
      " = ",
      " -> ",
      "> ",
      "- ",
      "1. ",
      "\n\n",
      '"',
      "(",
      ")",
      "{",
      "}",
      "<td>",
      "&amp;",
    ],
    ...[
      "k=1a2b",
      "203.0.113.10",
      "sites.pagewick.example",
      "10 mx1.inglemail.example",
      "v=spf1 include:x.example ~all",
      "Copy",
      "Pending",
    ],
    ...[
      "Add a TXT record for ",
      " pointing to ",
      "Option 1",
      "or ",
      "Remove ",
      "For example, ",
      "\u200b",
      "\u00a0",
      "…",
      "puppetfest.example",
    ],
  ],
};
WORDS["page behind page"] = WORDS["page on its way"] = WORDS["page of a kind"] = WORDS.paste;
const DEAR = new Set([
  "page behind page",
  "page on its way",
  "paste",
  "message",
  "SPF evaluation",
  "zone file",
  "Authentication-Results",
  "DKIM round trip",
]);
/** How often each is chosen: what is dear to run comes less often. */
const turns = Object.keys(TARGETS).flatMap((target) => Array(DEAR.has(target) ? 1 : 6).fill(target));

const counts = {};
const started = performance.now();
let slowest = 0;
/** Milliseconds no input may take: far beyond what a busy machine adds to one that is read in time. */
const SLOW = 15_000;
let done = 0;
for (let i = 0; i < total && performance.now() < until; i++) {
  done += 1;
  const target = turns[i % turns.length];
  const prefix =
    target.startsWith("SPF") && random() < 0.9
      ? "v=spf1 "
      : target === "DMARC record" && random() < 0.8
        ? "v=DMARC1; p=none; "
        : "";
  const input = prefix + built(WORDS[target], target === "message" ? 40 : 14);
  const start = performance.now();
  let met;
  try {
    met = await TARGETS[target](input);
  } catch (error) {
    met = error;
  }
  slowest = Math.max(slowest, performance.now() - start);
  counts[target] = (counts[target] ?? 0) + 1;
  if (met !== true || slowest > SLOW) {
    console.error(
      `input ${i} of seed ${seed} fails for ${target} (${met instanceof Error ? met.stack : slowest > SLOW ? "too slow" : "a law does not hold"}):\n${JSON.stringify(input)}`,
    );
    process.exit(1);
  }
}
console.log(
  `${done.toLocaleString("en")} inputs in ${((performance.now() - started) / 1000).toFixed(0)} s, seed ${seed}, slowest ${slowest.toFixed(0)} ms, none failed`,
);
for (const [target, { inputs, wrong }] of Object.entries(misreads)) console.log(`${target}: ${wrong} of ${inputs} misread`);
console.log(
  Object.entries(counts)
    .map(([target, count]) => `${target} ${count.toLocaleString("en")}`)
    .join(", "),
);
