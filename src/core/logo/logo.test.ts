import { execFileSync, spawnSync } from "node:child_process";
import { createHash } from "node:crypto";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { gunzipSync, gzipSync } from "node:zlib";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { inWords } from "../../present/clauses/index.ts";
import { name } from "../name/index.ts";
import { checkDrawing, checkEvidence, prepareDrawing, readLogoRecord } from "./index.ts";

/** Drawings with one offence each, drawings that attack, what can be made clean, and evidence from a root of our own. */

const HEAD = '<svg xmlns="http://www.w3.org/2000/svg" version="1.2" baseProfile="tiny-ps" viewBox="0 0 64 64">';
const svg = (inside: string, head = HEAD): string => `${head}\n<title>Brackwater</title>\n${inside}\n</svg>\n`;
const FOX = '<path fill="#b5482a" d="M8 56 32 8l24 48z"/>';
const GOOD = svg(FOX);
const offences = (text: string | Buffer) =>
  checkDrawing(Buffer.from(text)).offences.map(({ line, because }) => `${line}: ${inWords(because)}`);

describe("a drawing", () => {
  test.each([
    ["a path", GOOD],
    ["a declaration before it", `<?xml version="1.0" encoding="UTF-8"?>\n${GOOD}`],
    [
      "a gradient, used from inside",
      svg(
        '<defs><linearGradient id="g"><stop offset="0" stop-color="#fff"/></linearGradient></defs><rect width="64" height="64" fill="url(#g)"/>',
      ),
    ],
    [
      "a shape, used twice",
      svg('<defs><circle id="c" r="4"/></defs><use xmlns:xlink="http://www.w3.org/1999/xlink" xlink:href="#c"/>'),
    ],
    ["text", svg('<text x="4" y="32" font-size="12">B</text>')],
    ["a title with more in it", GOOD.replace("Brackwater", "Brackwater &amp; friends")],
    ["a square that begins elsewhere", GOOD.replace("0 0 64 64", "-32,-32 64,64")],
  ])("%s keeps to the profile", (_, text) => expect(offences(text)).toEqual([]));

  test.each<[string, string, string]>([
    ["another version", GOOD.replace('version="1.2"', 'version="1.1"'), '1: version="1.2" is wanted on <svg>, and it says "1.1"'],
    ["no version", GOOD.replace(' version="1.2"', ""), '1: version="1.2" is wanted on <svg>'],
    ["another profile", GOOD.replace("tiny-ps", "tiny"), '1: baseProfile="tiny-ps" is wanted on <svg>, and it says "tiny"'],
    ["no profile", GOOD.replace(' baseProfile="tiny-ps"', ""), '1: baseProfile="tiny-ps" is wanted on <svg>'],
    ["a place", GOOD.replace("viewBox", 'x="0" viewBox'), "1: <svg> has x=, which is not allowed there"],
    ["no viewBox", GOOD.replace(' viewBox="0 0 64 64"', ""), "1: <svg> has no viewBox with four numbers"],
    ["a viewBox of three", GOOD.replace("0 0 64 64", "0 0 64"), "1: <svg> has no viewBox with four numbers"],
    ["not square", GOOD.replace("0 0 64 64", "0 0 64 32"), "1: its viewBox is 64 by 32, and a square is wanted"],
    ["no title", GOOD.replace(/<title>.*\n/, ""), "1: there is no <title> right below <svg>"],
    ["an empty title", GOOD.replace("Brackwater", " "), "1: there is no <title> right below <svg>"],
    [
      "a title elsewhere",
      GOOD.replace(/<title>.*<\/title>/, "<g><title>B</title></g>"),
      "1: there is no <title> right below <svg>",
    ],
    ["a long title", GOOD.replace("Brackwater", "B".repeat(65)), "1: its <title> has more than 64 characters"],
    ["a script", svg("<script>alert(1)</script>"), "3: it has a script"],
    ["a script in an attribute", svg('<path onload="x()" d="M0 0"/>'), "3: onload= is a script"],
    ["an animation", svg('<rect width="1" height="1"><animate attributeName="x"/></rect>'), "3: <animate> moves something"],
    ["a setting", svg('<rect width="1" height="1"><set attributeName="x"/></rect>'), "3: <set> moves something"],
    ["a link", svg('<a href="#x"><rect width="1" height="1"/></a>'), "3: <a> reacts to the reader"],
    ["a picture", svg('<image href="#x" width="1" height="1"/>'), "3: <image> puts a picture or a film into the drawing"],
    ["a film", svg("<video/>"), "3: <video> puts a picture or a film into the drawing"],
    ["a page inside", svg("<foreignObject/>"), "3: <foreignObject> puts something into the drawing that is no drawing"],
    ["a style sheet", svg("<style>path{fill:red}</style>"), "3: <style> is a style sheet, and only attributes are allowed"],
    ["a style", svg('<path style="fill:red" d="M0 0"/>'), "3: <path> has style=, and only attributes are allowed"],
    ["a filter", svg("<filter/>"), "3: <filter> is not in the profile"],
    ["a mask", svg("<mask/>"), "3: <mask> is not in the profile"],
    ["a clipping path", svg("<clipPath/>"), "3: <clipPath> is not in the profile"],
    ["a pattern", svg("<pattern/>"), "3: <pattern> is not in the profile"],
    ["a symbol", svg("<symbol/>"), "3: <symbol> is not in the profile"],
    [
      "another drawing",
      svg('<use href="https://cheap-seats.example/x.svg#a"/>'),
      "3: <use> refers to something outside the drawing",
    ],
    ["a file beside it", svg('<use href="x.svg#a"/>'), "3: <use> refers to something outside the drawing"],
    ["data in an address", svg('<use href="data:image/svg+xml;base64,AAAA"/>'), "3: <use> has data in its address"],
    [
      "a fill from outside",
      svg('<rect width="1" height="1" fill="url(https://cheap-seats.example/#a)"/>'),
      "3: <rect> refers to something outside the drawing",
    ],
    [
      "a style sheet from outside",
      `<?xml-stylesheet href="x.css"?>${GOOD}`,
      "1: <xml-stylesheet> refers to something outside the drawing",
    ],
    [
      "another language",
      svg('<m:math xmlns:m="http://www.w3.org/1998/Math/MathML"/>'),
      "3: <m:math> is of another language than SVG",
    ],
    ["too large", svg(`<path d="M${"0 ".repeat(17_000)}"/>`), "1: it has 33.3 kB, and 32 kB are the limit"],
    ["something else", "<html><body/></html>", "1: it begins with <html>, and not with an <svg> of the SVG namespace"],
    [
      "no namespace",
      GOOD.replace(' xmlns="http://www.w3.org/2000/svg"', ""),
      "1: it begins with <svg>, and not with an <svg> of the SVG namespace",
    ],
  ])("%s", (_, text, said) => expect(offences(text)).toContain(said));

  test.each<[string, string | Buffer, RegExp]>([
    [
      "an entity from outside",
      `<!DOCTYPE svg [<!ENTITY x SYSTEM "file:///etc/passwd">]>${svg("<text>&x;</text>")}`,
      /document type/,
    ],
    [
      "entities that laugh",
      `<!DOCTYPE svg [<!ENTITY a "${"lol".repeat(10)}">${Array.from({ length: 9 }, (_, i) => `<!ENTITY ${"bcdefghij"[i]} "${`&${"abcdefghi"[i]};`.repeat(10)}">`).join("")}]>${svg("&j;")}`,
      /document type/,
    ],
    ["a million elements deep", `${HEAD}${"<g>".repeat(100_000)}`, /nested more than 100 deep/],
    ["too many", `${HEAD}${"<g/>".repeat(6000)}</svg>`, /more than 5000 elements|32 kB/],
    ["ten megabytes", Buffer.alloc(10 << 20, "<g/>"), /32 kB are the limit/],
    ["nothing", "", /not well formed/],
    ["octets", Buffer.from([0, 255, 254, 1]), /not well formed/],
    ["half of it", GOOD.slice(0, 120), /not well formed/],
    ["deep behind a document type", `<!DOCTYPE svg>${HEAD}${"<g>".repeat(50_000)}`, /document type/],
    ["an unknown entity", svg("<text>&nobody;</text>"), /not well formed/],
  ])("%s is refused, quickly and without being read further", (_, text, because) =>
    expect(offences(text).join("\n")).toMatch(because),
  );

  test("whatever it is, nothing is thrown, and the list ends", () => {
    const piece = fc.oneof(
      fc.constantFrom(
        "<g>",
        "</g>",
        "<path d='M0 0'/>",
        "<script>",
        "]]>",
        "<!--",
        "-->",
        "&#0;",
        "<![CDATA[",
        'style="a:b"',
        "<?x y?>",
      ),
      fc.string({ maxLength: 10 }),
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 40 }), (pieces) => {
        const drawing = svg(pieces.join(""));
        expect(checkDrawing(Buffer.from(drawing)).offences.length).toBeLessThan(60);
        const prepared = prepareDrawing(Buffer.from(drawing), "B");
        if (prepared.text !== "" && prepared.offences.length === 0) expect(offences(prepared.text)).toEqual([]);
      }),
    );
  });
});

describe("made clean", () => {
  const prepare = (text: string) => prepareDrawing(Buffer.from(text), "Brackwater Puppet Theatre");
  test.each<[string, string, RegExp, RegExp]>([
    [
      "a bare one",
      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 64">${FOX}</svg>`,
      /<title>Brackwater Puppet Theatre<\/title>/,
      /profile|title/i,
    ],
    [
      "a size for a viewBox",
      `<svg xmlns="http://www.w3.org/2000/svg" width="64px" height="64px">${FOX}</svg>`,
      /viewBox="0 0 64 64"/,
      /title/,
    ],
    [
      "a wide one",
      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 32">${FOX}</svg>`,
      /viewBox="0 -16 64 64"/,
      /empty margin/,
    ],
    [
      "a drawing program's remains",
      `<svg xmlns="http://www.w3.org/2000/svg" xmlns:i="http://draw.example/" viewBox="0 0 8 8" i:zoom="1"><i:view a="1"/><metadata>x</metadata>${FOX}</svg>`,
      /^(?!.*view a)(?!.*metadata)(?!.*zoom)/s,
      /left out/,
    ],
    [
      "styles",
      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8"><path fill="blue" style="fill:#f00;stroke-width:2" d="M0 0"/></svg>`,
      /<path fill="#f00" d="M0 0" stroke-width="2"\/>/,
      /became attributes/,
    ],
    [
      "a script and its calls",
      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8" onload="x()"><script>y</script>${FOX}</svg>`,
      /^(?!.*script)(?!.*onload)/s,
      /<script> was left out/,
    ],
    [
      "a link around it",
      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8"><a href="https://x.example/">${FOX}</a></svg>`,
      /<g><path/,
      /<a> was left out/,
    ],
    [
      "a type and a comment",
      `<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://www.w3.org/Graphics/SVG/1.1/DTD/svg11.dtd"><!-- made by hand -->${GOOD}`,
      /^(?!.*DOCTYPE)(?!.*by hand)/s,
      /comments were left out/,
    ],
    ["newer links", svg('<defs><circle id="c" r="4"/></defs><use href="#c"/>'), /xlink:href="#c"/, /^$|/],
  ])("%s", (_, text, expected, done) => {
    const { text: clean, offences: left, done: said } = prepare(text);
    expect(left).toEqual([]);
    expect(offences(clean)).toEqual([]);
    expect(clean).toMatch(expected);
    expect(said.map((one) => inWords(one)).join("; ")).toMatch(done);
  });
  test.each<[string, string, RegExp]>([
    ["a picture", svg('<image href="x.png" width="1" height="1"/>'), /<image> puts a picture/],
    ["a style sheet", svg("<style>path{fill:red}</style><path d='M0 0'/>"), /<style> is a style sheet/],
    ["a style without an attribute", svg('<path style="filter:blur(2px)" d="M0 0"/>'), /has style=/],
    ["a mask", svg('<mask id="m"/><path mask="url(#m)" d="M0 0"/>'), /<mask> is not in the profile/],
    ["entities", `<!DOCTYPE svg [<!ENTITY a "b">]>${GOOD}`, /document type/],
    ["a fill from outside", svg('<path fill="url(https://x.example/#a)" d="M0 0"/>'), /outside the drawing/],
  ])("%s stays in the way, and is named", (_, text, because) =>
    expect(
      prepare(text)
        .offences.map((one) => inWords(one.because))
        .join("\n"),
    ).toMatch(because),
  );
});

describe("the record", () => {
  const said = (text: string) => {
    const read = readLogoRecord(text);
    return read.kind === "other" ? "other" : { ...read.record, mistakes: read.mistakes.map((one) => inWords(one)) };
  };
  const L = "https://www.brackwater.example/logo.svg";
  test.each<[string, unknown]>([
    [`v=BIMI1; l=${L}; a=`, { drawing: L, evidence: undefined, preference: undefined, mistakes: [] }],
    [`v=BIMI1;l=${L};a=${L};avp=brand;`, { drawing: L, evidence: L, preference: "brand", mistakes: [] }],
    ["v=BIMI1; l=; a=;", { drawing: undefined, evidence: undefined, preference: undefined, mistakes: [] }],
    [
      "v=BIMI1",
      {
        drawing: undefined,
        evidence: undefined,
        preference: undefined,
        mistakes: ["l= is missing, which says where the drawing is"],
      },
    ],
    [
      "v=BIMI1; l=http://x.example/a.svg",
      { drawing: "http://x.example/a.svg", mistakes: ["l=http://x.example/a.svg does not begin with https://"] },
    ],
    ["v=BIMI1; l=logo.svg", { mistakes: ["l=logo.svg is no web address"] }],
    [`v=BIMI1; l=${L},${L}`, { mistakes: ["l= names several addresses, and only one counts"] }],
    [`v=BIMI1; l=; a=${L}`, { mistakes: ["a= names evidence, and l= names no drawing"] }],
    [`v=BIMI1; l=${L}; avp=both`, { mistakes: ["avp=both is neither brand nor personal"] }],
    ["v=bimi1; l=", "other"],
    ["l=x; v=BIMI1", "other"],
    ["", "other"],
    ["v=spf1 -all", "other"],
  ])("%s", (text, expected) =>
    typeof expected === "string" ? expect(said(text)).toBe(expected) : expect(said(text)).toMatchObject(expected as object),
  );
});

/** Where OpenSSL is missing, its part is left out, but where everything has to be there. */
const describeEvidence =
  process.env.ZANDREL_REQUIRE_SERVERS === "1" || spawnSync("openssl", ["version"]).status === 0 ? describe : describe.skip;

describeEvidence("the evidence, from a root of our own", () => {
  let folder: string;
  const files: Record<string, string> = {};
  const run = (...args: string[]) => execFileSync("openssl", args, { cwd: folder, stdio: "pipe" });
  /** DER by hand: a tag, a length, and what is in it. */
  const der = (tag: number, ...parts: (Buffer | string)[]): Buffer => {
    const inside = Buffer.concat(parts.map((part) => (typeof part === "string" ? Buffer.from(part, "latin1") : part)));
    const size =
      inside.length < 128
        ? Buffer.from([inside.length])
        : inside.length < 256
          ? Buffer.from([0x81, inside.length])
          : Buffer.from([0x82, inside.length >> 8, inside.length & 255]);
    return Buffer.concat([Buffer.from([tag]), size, inside]);
  };
  /** A logotype extension: the drawing packed into an address, and the hash of what is packed. */
  const logotype = (drawing: string, hashed = gzipSync(drawing)): string => {
    const packed = gzipSync(drawing);
    const sha256 = der(0x30, Buffer.from("0609608648016503040201", "hex"));
    const hash = der(0x30, sha256, der(0x04, createHash("sha256").update(hashed).digest()));
    const details = der(
      0x30,
      der(0x16, "image/svg+xml"),
      der(0x30, hash),
      der(0x30, der(0x16, `data:image/svg+xml;base64,${packed.toString("base64")}`)),
    );
    return der(0x30, der(0xa2, der(0xa0, der(0x30, der(0x30, details))))).toString("hex");
  };
  const leaf = (
    key: string,
    { san = "DNS:brackwater.example", usage = "1.3.6.1.5.5.7.3.31", logo = logotype(GOOD), log = true, root = "root" } = {},
  ) => {
    const lines = [
      `subjectAltName=${san}`,
      ...(usage === "" ? [] : [`extendedKeyUsage=${usage}`]),
      ...(logo === "" ? [] : [`1.3.6.1.5.5.7.1.12=DER:${logo}`]),
      ...(log ? ["1.3.6.1.4.1.11129.2.4.2=DER:0403000100"] : []),
    ];
    writeFileSync(join(folder, `${key}.ext`), `${lines.join("\n")}\n`);
    run(
      "req",
      "-new",
      "-newkey",
      "ec",
      "-pkeyopt",
      "ec_paramgen_curve:P-256",
      "-nodes",
      "-keyout",
      `${key}.key`,
      "-out",
      `${key}.csr`,
      "-subj",
      "/O=Brackwater Puppet Theatre",
    );
    run(
      "x509",
      "-req",
      "-in",
      `${key}.csr`,
      "-CA",
      `${root}.pem`,
      "-CAkey",
      `${root}.key`,
      "-CAcreateserial",
      "-extfile",
      `${key}.ext`,
      "-days",
      "365",
      "-out",
      `${key}.pem`,
    );
    files[key] = readFileSync(join(folder, `${key}.pem`), "utf8");
  };
  beforeAll(() => {
    folder = mkdtempSync(join(tmpdir(), "zandrel-logo-"));
    for (const root of ["root", "stranger"]) {
      run(
        "req",
        "-x509",
        "-newkey",
        "ec",
        "-pkeyopt",
        "ec_paramgen_curve:P-256",
        "-nodes",
        "-keyout",
        `${root}.key`,
        "-out",
        `${root}.pem`,
        "-subj",
        `/O=Sealbarrow ${root}`,
        "-days",
        "36500",
      );
      files[root] = readFileSync(join(folder, `${root}.pem`), "utf8");
    }
  });
  afterAll(() => rmSync(folder, { recursive: true, force: true }));
  const DAY = 86_400_000;
  const AT = Date.now() + 30 * DAY;
  const check = (pem: string, drawing: string | undefined = GOOD, at = AT) =>
    checkEvidence(pem, {
      domain: name("brackwater.example"),
      selector: "default",
      drawing: drawing === undefined ? undefined : Buffer.from(drawing),
      at,
      unpack: (octets) => (octets[0] === 0x1f ? gunzipSync(octets) : octets),
    });
  test("a good one, with its issuer and its end", () => {
    leaf("good");
    const { until, ...good } = check(`${files.good}${files.root}`);
    expect(good).toEqual({ offences: [], issuer: "Sealbarrow root" });
    expect(Math.round(((until ?? 0) - AT) / DAY)).toBe(335);
    leaf("parent", { san: "DNS:default._bimi.brackwater.example" });
    expect(check(`${files.parent}${files.root}`).offences).toEqual([]);
  });
  test.each<[string, Parameters<typeof leaf>[1], RegExp]>([
    ["another domain", { san: "DNS:cheap-seats.example" }, /it is for cheap-seats\.example/],
    ["not for logos", { usage: "serverAuth" }, /not one for logos in mail/],
    ["no drawing", { logo: "" }, /no drawing in it/],
    ["another drawing", { logo: logotype(GOOD.replace("#b5482a", "#000000")) }, /another one than the one that is shown/],
    ["a hash of something else", { logo: logotype(GOOD, gzipSync("other")) }, /does not fit the hash/],
    ["in no log", { log: false }, /no public log/],
  ])("%s", (what, options, because) => {
    const key = what.replaceAll(" ", "-");
    leaf(key, options);
    expect(
      check(`${files[key]}${files.root}`)
        .offences.map((one) => inWords(one))
        .join("\n"),
    ).toMatch(because);
  });
  test.each([
    ["over", 400, /it ended on \d{4}-/],
    ["not begun", -10, /it is good from \d{4}-.* on only/],
  ])("%s", (what, days, because) => {
    leaf(what.replace(" ", "-"));
    const { offences: found } = check(`${files[what.replace(" ", "-")]}${files.root}`, GOOD, Date.now() + days * DAY);
    expect(found.map((one) => inWords(one)).join("\n")).toMatch(because);
  });
  test("chains that are none, and what is no certificate", () => {
    leaf("chain");
    const said = (pem: string) =>
      check(pem)
        .offences.map((one) => inWords(one))
        .join("\n");
    expect(said(`${files.root}${files.chain}`)).toMatch(/certificate 1 is not signed by the one behind it/);
    expect(said(`${files.chain}${files.stranger}`)).toMatch(/certificate 1 is not signed/);
    expect(said(files.chain ?? "")).toMatch(/issuers are not in it/);
    expect(said("hello")).toMatch(/no certificate in it/);
    expect(said("-----BEGIN CERTIFICATE-----\nAAAA\n-----END CERTIFICATE-----")).toMatch(/certificate 1 in it cannot be read/);
    expect(said((files.root ?? "").repeat(11))).toMatch(/more than 10 certificates/);
    expect(check(`${files.chain}${files.root}`, undefined).offences).toEqual([]);
  });
});
