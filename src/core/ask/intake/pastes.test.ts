import { readdirSync, readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { name } from "../../name/index.ts";
import { type DataOf, decodeUtf8, printData, type ResourceRecord, txtValue } from "../../record/index.ts";
import { byPurpose, type Understood, understand } from "./index.ts";

const domain = name("brackwater.example");
const FOLDER = new URL("../../../../tests/pastes/", import.meta.url);
const TTL = 77;

/** A record as its expectation writes it: `name [ttl] type data`, the name relative to the domain. */
function shown({ name: owner, type, ttl, data }: ResourceRecord): string {
  const host = owner.replace(/\.?brackwater\.example\.$/, "") || "@";
  const text =
    type === "TXT" ? `"${decodeUtf8(txtValue(data as DataOf["TXT"])).replace(/["\\]/g, "\\$&")}"` : printData(type, data);
  return `${host} ${ttl === TTL ? "" : `${ttl} `}${type} ${text}`;
}

/** Everything that was understood, one line each, as the expectation files list it. */
const linesOf = (read: Understood): string[] => [
  ...read.records.map(({ record }) => shown(record)),
  ...read.remove.map((record) => `remove: ${shown(record)}`),
  ...read.spfTerms.map((term) => `term: ${term}`),
  ...read.nameServers.map((server) => `nameserver: ${server}`),
  ...read.forwards.map(
    ({ from, to, permanent }) =>
      `forward: ${from} ${to} ${permanent === true ? "permanent" : permanent === false ? "temporary" : "unsaid"}`,
  ),
  ...read.web.map((proof) =>
    proof.kind === "meta" ? `web: meta ${proof.name} ${proof.content}` : `web: file ${proof.url} ${proof.text}`,
  ),
];

/** Why a paste stops: the codes of its problems, and whether something is asked or left over. */
const stopsOf = (read: Understood): string[] => [
  ...read.problems.map(({ code }) => code),
  ...read.questions.map(({ kind }) => (kind === "options" ? "options" : "question")),
  ...(read.leftover.length > 0 ? ["leftover"] : []),
];

const cases = readdirSync(FOLDER)
  .filter((file) => file.endsWith(".txt"))
  .map((file) => file.replace(/\.txt$/, ""));

describe("pastes as people bring them", () => {
  test.each(cases)("%s", (file) => {
    const read = understand({ text: readFileSync(new URL(`${file}.txt`, FOLDER), "utf8"), domain, ttl: TTL, choices: new Map() });
    const wanted = readFileSync(new URL(`${file}.want`, FOLDER), "utf8")
      .trim()
      .split("\n");
    const stops = wanted.flatMap((line) => /^stops: (.*)$/.exec(line)?.[1] ?? []);
    if (stops.length > 0) {
      const found = stopsOf(read);
      if (stops[0] === "any") expect(found).not.toEqual([]);
      else expect(found).toEqual(expect.arrayContaining(stops));
      return;
    }
    const repairs = wanted.flatMap((line) => /^repair: (.*)$/.exec(line)?.[1] ?? []);
    const lines = wanted.filter((line) => !/^(?:repair|purposes): /.test(line));
    expect({ stops: stopsOf(read), lines: linesOf(read).sort(), leftover: read.leftover }).toEqual({
      stops: [],
      lines: lines.sort(),
      leftover: [],
    });
    expect(read.repairs.map(({ kind }) => kind)).toEqual(expect.arrayContaining(repairs));
  });
});

const read = (text: string, choices: Record<string, string> = {}) =>
  understand({ text, domain, ttl: TTL, choices: new Map(Object.entries(choices)) });

test("a host called like a button is a host", () =>
  expect(linesOf(read("Type: CNAME\nHost: copy\nTarget: sites.pagewick.example"))).toEqual([
    "copy CNAME sites.pagewick.example.",
  ]));

test("the corpus is of the size it has to be, a sixth of it to be refused or asked about", () => {
  const wants = cases.map((file) => readFileSync(new URL(`${file}.want`, FOLDER), "utf8"));
  expect(cases.length).toBeGreaterThanOrEqual(310);
  expect(wants.filter((want) => want.startsWith("stops:")).length).toBeGreaterThanOrEqual(50);
});

describe("doubts are questions, never guesses", () => {
  test.each<[string, string, string, string, string]>([
    [
      "a host that may be elsewhere",
      "Type: TXT\nHost: mail.other.example\nValue: k=1",
      "host-mail.other.example",
      "inside",
      'mail.other.example TXT "k=1"',
    ],
    ["a target of one label", "Type: CNAME\nHost: www\nTarget: box", "target-box", "inside", "www CNAME box.brackwater.example."],
    ["a target of one label, meant as it is", "Type: CNAME\nHost: www\nTarget: box", "target-box", "as-is", "www CNAME box."],
    [
      "no type, and a value that may be either",
      "Host: proof\nValue: a.sealbarrow.example",
      "type-proof",
      "CNAME",
      "proof CNAME a.sealbarrow.example.",
    ],
    [
      "the same, meant as a text",
      "Host: proof\nValue: a.sealbarrow.example",
      "type-proof",
      "TXT",
      'proof TXT "a.sealbarrow.example"',
    ],
    [
      "two hosts in one field",
      "Type: CNAME\nHost: www or shop\nValue: sites.pagewick.example",
      "host-www-or-shop",
      "shop",
      "shop CNAME sites.pagewick.example.",
    ],
    [
      "one of two ways",
      "Option 1: TXT record\nHost: @\nValue: k=1a\n\nOption 2: CNAME record\nHost: k7\nValue: verify.seekmere.example",
      "option",
      "2",
      "k7 CNAME verify.seekmere.example.",
    ],
  ])("%s", (_, paste, id, answer, record) => {
    const open = read(paste);
    expect(open.records).toEqual([]);
    expect(open.questions.map((question) => question.id)).toEqual([id]);
    expect(read(paste, { [id]: answer }).records.map((one) => shown(one.record))).toEqual([record]);
  });
});

// A record that stands twice is one, with the TTL of the first.
const contentOf = (one: Understood) => [...new Set(linesOf(one).map((line) => line.replace(/^(\S+) \d+ (?=[A-Z])/, "$1 ")))];

/** The lines of a text that say anything, each changed. */
const eachLine = (change: (line: string, i: number) => string) => (text: string) =>
  text
    .split("\n")
    .map((line, i) => (line.trim() === "" ? line : change(line, i)))
    .join("\n");
const LABEL = /^([A-Z][A-Za-z ]+): /gm;

describe("what mail programs, editors and the pages themselves do to a paste changes nothing, or it is said", () => {
  const pages = cases
    .map((file) => ({ file, text: readFileSync(new URL(`${file}.txt`, FOLDER), "utf8") }))
    .filter(({ file, text }) => stopsOf(read(text)).length === 0 && !/html|xml|json|yaml|toml/.test(file));

  test.each<[string, (text: string) => string]>([
    ["line ends of another system", (text) => text.replace(/\n/g, "\r\n")],
    ["tabs as spaces", (text) => text.replace(/\t/g, "    ")],
    ["tabs as bars", eachLine((line) => (line.includes("\t") ? `| ${line.split("\t").join(" | ")} |` : line))],
    ["quoted in a mail", (text) => text.replace(/^/gm, "> ")],
    ["white space at the ends", (text) => text.replace(/$/gm, "   ")],
    ["spaces that do not break", (text) => text.replace(/ /g, "\u00a0")],
    ["a mark of the byte order", (text) => `\ufeff${text}`],
    ["characters without width", (text) => text.replace(/: /g, ":\u200b ")],
    ["a fence of code", (text) => `Here is what it says:\n\n\`\`\`\n${text.trimEnd()}\n\`\`\`\n\nThanks!\n`],
    [
      "a mail around it",
      (text) =>
        `Hi Maud,\n\ncan you set this up until Friday? The site goes live on 2 March.\n\n${text.trimEnd()}\n\nThanks\nTobias\n--\nBrackwater Puppet Theatre, 12 Quay Street\n`,
    ],
    [
      "a page around it",
      (text) => `Home\nDomains\nSettings\n\n${text.trimEnd()}\n\nBack\nContinue\nNeed help? Contact support\n`,
    ],
    ["an empty line between all", (text) => text.replace(/\n/g, "\n\n")],
    ["bold labels", (text) => text.replace(/^([A-Z][a-z]+):/gm, "**$1:**")],
    ["bullets", eachLine((line) => `• ${line}`)],
    ["numbers", eachLine((line, i) => `${i + 1}. ${line}`)],
    ["pasted twice", (text) => `${text.trimEnd()}\n\n${text}`],
    ["quotation marks of an editor", (text) => text.replace(/"([^"\n]*)"/g, "“$1”")],
    ["a space in front of the colon", (text) => text.replace(LABEL, "$1 : ")],
    ["a tab behind the colon", (text) => text.replace(LABEL, "$1:\t")],
    ["values below their labels", (text) => text.replace(LABEL, "$1\n")],
    ["a button behind each value", (text) => text.replace(/^([A-Z][A-Za-z ]+: .*)$/gm, "$1 Copy")],
    ["a button below each value", (text) => text.replace(/^([A-Z][A-Za-z ]+: .*)$/gm, "$1\nCopy")],
  ])("%s", (_, make) => {
    const changed = pages.map((page) => ({ ...page, made: make(page.text) })).filter(({ text, made }) => made !== text);
    expect(changed.length).toBeGreaterThan(20);
    const again = changed.map(({ file, text, made }) => ({ file, was: contentOf(read(text)), is: read(made) }));
    const stopped = again.filter(({ is }) => stopsOf(is).length > 0);
    const misread = again.filter(
      (one) => !stopped.includes(one) && contentOf(one.is).sort().join("\n") !== one.was.sort().join("\n"),
    );
    expect(misread.map(({ file }) => file)).toEqual([]);
    expect(stopped.length / changed.length).toBeLessThan(0.06);
  });
});

describe("two pages pasted one behind the other", () => {
  // Words of one that are meant for all that follows: options, examples, what to remove, an $ORIGIN.
  const pages = cases
    .map((file) => ({ file, text: readFileSync(new URL(`${file}.txt`, FOLDER), "utf8").trimEnd() }))
    .filter(({ file, text }) => {
      const one = read(text);
      return (
        stopsOf(one).length + one.remove.length === 0 &&
        !one.repairs.some(({ kind }) => kind === "example-left-out") &&
        !/html|json|xml|yaml|origin/i.test(file) &&
        !/\b(?:or|either|example:|e\.g\.)\b/i.test(text) &&
        text.length < 3000
      );
    })
    .map((page) => ({ ...page, lines: contentOf(read(page.text)) }));
  // One in so many of all pairs, for each thing that may stand between.
  const EVERY = 97;

  test.each([
    ["an empty line", ""],
    ["a heading", "\nAuthenticate brackwater.example with Heronpost\n"],
    ["a step", "Step 2"],
    ["sentences", "\nNow add the records for your other service. They are listed below:"],
  ])("%s between them: both are read, or it is said that they are not", (_, between) => {
    let pairs = 0;
    const stopped: string[] = [];
    const misread: string[] = [];
    for (let i = 0; i < pages.length ** 2; i += EVERY) {
      const [first, second] = [pages[Math.floor(i / pages.length)], pages[i % pages.length]];
      if (first === undefined || second === undefined || first === second) continue;
      pairs += 1;
      const both = read(`${first.text}\n${between}\n${second.text}`);
      const wanted = [...new Set([...first.lines, ...second.lines])].sort();
      const found = [...new Set(contentOf(both))].sort();
      if (stopsOf(both).length > 0) stopped.push(`${first.file} + ${second.file}`);
      else if (found.join("\n") !== wanted.join("\n")) misread.push(`${first.file} + ${second.file}`);
    }
    expect(pairs).toBeGreaterThan(500);
    expect(misread).toEqual([]);
    expect(stopped.length / pairs).toBeLessThan(0.03);
  });
});

test.each(cases.filter((file) => /purposes: /.test(readFileSync(new URL(`${file}.want`, FOLDER), "utf8"))))(
  "%s becomes the asks a specialist would name",
  (file) => {
    const text = readFileSync(new URL(`${file}.txt`, FOLDER), "utf8");
    const wanted = /purposes: (.*)/.exec(readFileSync(new URL(`${file}.want`, FOLDER), "utf8"))?.[1]?.split(" ");
    expect(byPurpose(read(text).records, domain, text).map(({ purpose }) => purpose)).toEqual(wanted);
  },
);

test("records for another domain of the workspace are set apart, and a page about it is not taken for this one", () => {
  const others = [name("puppetfest.example")];
  const both = understand({
    text: "Type\tHost\tValue\nA\t@\t203.0.113.1\nA\twww.puppetfest.example\t203.0.113.2",
    domain,
    others,
    ttl: TTL,
    choices: new Map(),
  });
  expect(both.records.map(({ record }) => shown(record))).toEqual(["@ A 203.0.113.1"]);
  expect(both.elsewhere).toMatchObject([{ domain: "puppetfest.example." }]);
});

describe("any text is read without an exception, and in time that grows with its length only", () => {
  const word = fc.constantFrom(
    "Type",
    "Host:",
    "Value",
    "TXT",
    "CNAME",
    "@",
    "www",
    "\n",
    "\t",
    "  ",
    ",",
    '"',
    "“",
    "record for",
    "pointing to",
    "{",
    "|",
    "\\",
    "a.b",
    "192.0.2.1",
    "&amp;",
    "<td>",
    "Option 1",
    "or",
    "> ",
    "* ",
    "v=spf1 ",
    "include:x.example",
    "…",
  );
  test("words in any order", () => {
    fc.assert(fc.property(fc.array(word, { maxLength: 40 }), (words) => void read(words.join(" "))));
  });
  test("a value that is understood stands in the paste, or a repair says how it came about", () => {
    fc.assert(
      fc.property(
        fc.stringMatching(/^[a-z]{3,8}-[a-z]{3,8}=[0-9a-f]{8,20}$/),
        fc.constantFrom("\t", " | ", ": ", "   "),
        (token, separator) => {
          const paste = `Type${separator}TXT\nHost${separator}_x\nValue${separator}${token}\n`;
          expect(read(paste).records.map(({ record }) => shown(record))).toEqual([`_x TXT "${token}"`]);
        },
      ),
    );
  });
  // A megabyte of each: what took time by the square of its length would not come to an end here.
  test.each([
    " ",
    "\t",
    "\n",
    " \n",
    "|",
    "| ",
    "<meta ",
    "&",
    "* ",
    "- ",
    ": ",
    ", ",
    ";",
    "host ",
    '"',
    "(",
    "=",
    "…",
    "TXT\n@\nk=1\n",
    "Type: TXT ",
    "www CNAME a.example.\n",
    "<td>",
    "a.b ",
    "{",
  ])("a megabyte of %j", (part) => {
    for (const around of ["", "Type\tHost\tValue\nTXT\t@\t", "Add a TXT record "])
      read(`${around}${part.repeat((1 << 20) / part.length - 100)} end`);
  });
});
