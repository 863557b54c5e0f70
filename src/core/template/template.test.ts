import { generateKeyPairSync } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { fillKit, kitSchema } from "../kit/index.ts";
import { name } from "../name/index.ts";
import { printRecord, toSets, txtValue } from "../record/index.ts";
import { readRecords } from "../zone/index.ts";
import {
  checkTemplate,
  type Incoming,
  incomingRecords,
  isSignedBy,
  keyFromPieces,
  kitOfTemplate,
  linkQuery,
  piecesOf,
  removedByHost,
  signedQuery,
  type Template,
  type TemplateCall,
  templateCalls,
  templateOfKit,
  templateSchema,
  type Unsaid,
} from "./index.ts";

const apex = name("brackwater.example");
const head = { providerId: "pagewick.example", providerName: "Pagewick", serviceId: "site", serviceName: "A site", version: 3 };
const template = (records: readonly object[], more: object = {}): Template => templateSchema.parse({ ...head, ...more, records });

describe("what a template's own text holds", () => {
  test.each(["v={domain}", "{foo}", "a\\123b", '"}{"', "%x% {x}", "\\", "{%x%}", "a;b"])(
    "%s is that text, in a kit and back",
    (data) => {
      const made = template([{ type: "TXT", host: "_t", data, ttl: 60 }]);
      const { kit } = kitOfTemplate(made);
      const filled = fillKit(kit, apex, new Map(Object.keys(kit.inputs).map((key) => [key, "7"])), 60);
      const [record] = filled.ok ? (filled.value.asks[0]?.records ?? []) : [];
      expect(record === undefined ? filled : txtValue(record.data as never)).toBe(data.replaceAll("%x%", "7"));
      expect(templateOfKit(kit).template.records[0]).toMatchObject({ data });
    },
  );
  test.each([
    { type: "CNAME", host: "x 60 IN A 203.0.113.66 ;", pointsTo: "a.example" },
    { type: "CNAME", host: "x", pointsTo: "a.example. ;" },
    { type: "CNAME", host: "{x}", pointsTo: "a.example" },
    { type: "MX", host: "@", pointsTo: "a.example", priority: "10 evil.example. ;" },
    { type: "A", host: "$ORIGIN evil.example.", pointsTo: "192.0.2.1" },
    { type: "SPFM", spfRules: "include:{x}" },
  ])("%j is no such record", (record) =>
    expect(checkTemplate(template([record])).map(({ code }) => code)).toEqual(["field-malformed"]),
  );
});

describe("a template as a kit", () => {
  const whole = template(
    [
      {
        type: "TXT",
        groupId: "claim",
        host: "_pagewick",
        data: "pagewick-claim:%claimCode%",
        ttl: 600,
        essential: "OnApply",
        txtConflictMatchingMode: "Prefix",
        txtConflictMatchingPrefix: "pagewick-claim:",
      },
      { type: "A", groupId: "site", host: "@", pointsTo: "203.0.113.10", ttl: 3600 },
      { type: "CNAME", groupId: "site", host: "www", pointsTo: "%siteName%.pagewick.example", ttl: "%ttl%", essential: "Always" },
      { type: "MX", groupId: "mail", host: "@", pointsTo: "in.pagewick.example", priority: 10 },
      {
        type: "SRV",
        groupId: "mail",
        service: "_imap",
        protocol: "_tcp",
        name: "mail",
        priority: 1,
        weight: 2,
        port: 993,
        target: "in.pagewick.example",
      },
      { type: "SPFM", groupId: "mail", spfRules: "include:spf.pagewick.example" },
    ],
    { syncPubKeyDomain: "keys.pagewick.example", description: "For a site" },
  );
  test("variables become inputs, groups become asks, SPF rules become terms", () => {
    const { kit, unsaid } = kitOfTemplate(whole);
    expect(unsaid).toEqual([]);
    expect(Object.keys(kit.inputs)).toEqual(["claim-code", "site-name", "ttl"]);
    expect(kit.asks.map(({ id, purpose, spf }) => [id, purpose, spf])).toEqual([
      ["claim", "ownership", undefined],
      ["site", "site", undefined],
      ["mail", "sending", "include:spf.pagewick.example"],
    ]);
    const values = new Map([
      ["claim-code", 'a"b'],
      ["site-name", "brackwater"],
      ["ttl", "60"],
    ]);
    const filled = fillKit(kit, apex, values, 300);
    expect(filled.ok && filled.value.asks.flatMap(({ records }) => records.map(printRecord))).toEqual([
      '_pagewick.brackwater.example. 600 IN TXT "pagewick-claim:a\\"b"',
      "brackwater.example. 3600 IN A 203.0.113.10",
      "www.brackwater.example. 60 IN CNAME brackwater.pagewick.example.",
      "brackwater.example. 300 IN MX 10 in.pagewick.example.",
      "_imap._tcp.mail.brackwater.example. 300 IN SRV 1 2 993 in.pagewick.example.",
    ]);
    expect(filled.ok && filled.value.asks[1]?.template).toEqual({
      provider: "pagewick.example",
      service: "site",
      group: "site",
      variables: { siteName: "brackwater", ttl: "60" },
    });
  });
  test("and back it is the same template", () => {
    const again = templateOfKit(kitOfTemplate(whole).kit);
    expect(again).toEqual({ template: whole, unsaid: [] });
  });
  test.each<[string, object, Unsaid["code"], object?]>([
    ["an alias at the domain itself", { type: "APEXCNAME", pointsTo: "sites.pagewick.example" }, "flattened-alias"],
    ["a redirect", { type: "REDIR301", host: "@", target: "https://www.brackwater.example" }, "redirect"],
    ["a field that is missing", { type: "MX", host: "@", pointsTo: "in.pagewick.example" }, "field-missing"],
    ["a key that nobody knows", { type: "A", host: "@", pointsTo: "203.0.113.1", colour: "red" }, "unknown-key"],
    ["a key of the whole", { type: "A", host: "@", pointsTo: "203.0.113.1" }, "unknown-key", { colour: "red" }],
  ])("what a kit cannot say is listed: %s", (_, record, code, more = {}) => {
    const good = { type: "A", host: "x", pointsTo: "203.0.113.9" };
    const { unsaid, kit } = kitOfTemplate(template([record, good], more));
    expect(unsaid.map((one) => one.code)).toContain(code);
    expect(kit.asks[0]?.records).toContain("x A 203.0.113.9");
  });
  test("groups that stand mixed are said to be put in order", () => {
    const a = (groupId: string, host: string) => ({ type: "A", groupId, host, pointsTo: "203.0.113.1" });
    expect(kitOfTemplate(template([a("one", "x"), a("two", "y"), a("one", "z")])).unsaid).toEqual([
      { code: "order", at: "records" },
    ]);
  });
  test("what a template cannot say of a kit is listed", () => {
    const { kit } = kitOfTemplate(whole);
    const more = {
      ...kit,
      before: ["choose a front page"],
      notes: "n",
      inputs: { ...kit.inputs, ttl: { explain: "x", pattern: "[0-9]+" } },
      asks: [
        ...kit.asks,
        {
          id: "caa",
          purpose: "certificate" as const,
          after: ["site"],
          later: [],
          records: '@ CAA 0 issue "x.example"\n',
          dmarc: "none" as const,
        },
      ],
    };
    expect(
      templateOfKit(more)
        .unsaid.map(({ code }) => code)
        .sort(),
    ).toEqual(["before", "later", "notes", "pattern", "policy", "record-type"]);
  });
  test("whatever a template holds: twice round is once round, and values stay inside their text", () => {
    const word = fc.stringMatching(/^[a-z][a-z0-9]{0,8}$/);
    const host = fc.oneof(
      word,
      fc.constant("@"),
      word.map((label) => `_${label}`),
    );
    const text = fc.string({ unit: fc.constantFrom("a", '"', "\\", ";", " ", "=", "(", "%x%"), minLength: 1, maxLength: 12 });
    const record = fc.oneof(
      fc.record({ type: fc.constant("TXT"), host, data: text }),
      fc.record({ type: fc.constant("A"), host, pointsTo: fc.constant("203.0.113.7"), ttl: fc.integer({ min: 1, max: 86400 }) }),
      fc.record({ type: fc.constant("CNAME"), host: word, pointsTo: word.map((label) => `${label}.pagewick.example`) }),
      fc.record({
        type: fc.constant("MX"),
        host,
        pointsTo: fc.constant("%in%.pagewick.example"),
        priority: fc.integer({ min: 0, max: 99 }),
      }),
    );
    fc.assert(
      fc.property(fc.array(record, { minLength: 1, maxLength: 6 }), (records) => {
        const made = template(records.map((one) => ({ ...one, groupId: "g" })));
        const { kit, unsaid } = kitOfTemplate(made);
        expect(unsaid).toEqual([]);
        expect(templateOfKit(kit).template).toEqual(made);
        const filled = fillKit(kit, apex, new Map(Object.keys(kit.inputs).map((key) => [key, "v"])), 60);
        expect(filled.ok && filled.value.asks[0]?.records.length).toBe(records.length);
      }),
    );
  });
  test("fields that a record cannot do without", () => {
    const mistakes = (record: object) => checkTemplate(template([record])).map(({ field }) => field);
    expect(mistakes({ type: "SRV", service: "_imap" })).toEqual(["protocol", "target", "priority", "weight", "port"]);
    expect(mistakes({ type: "TXT", host: "@", data: "x", txtConflictMatchingMode: "Prefix" })).toEqual([
      "txtConflictMatchingPrefix",
    ]);
  });
});

describe("the other way round", () => {
  const kit = (records: string, more: object = {}) =>
    kitSchema.parse({
      kit: 1,
      service: "pagewick",
      title: "Pagewick",
      asks: [{ id: "front", purpose: "site", records }],
      ...more,
    });
  test("a kit's lines as people write them: comments, units of time, the owner of the line before", () =>
    expect(
      templateOfKit(
        kit('; a comment\nwww 1h30m IN cname x.pagewick.example. ; here\n    300 TXT "a;b" ; there\n\n@ A 203.0.113.1\n'),
      ),
    ).toMatchObject({
      template: {
        records: [
          { type: "CNAME", groupId: "front", host: "www", pointsTo: "x.pagewick.example", ttl: 5400 },
          { type: "TXT", host: "www", data: "a;b", ttl: 300 },
          { type: "A", host: "@", pointsTo: "203.0.113.1" },
        ],
      },
      unsaid: [{ code: "provider", at: "pagewick.example" }],
    }));
  test.each<[string, string, object, Unsaid["code"]]>([
    ["a record over several lines", "@ SOA a b (\n 1 1 1 1 1 )\nwww A 203.0.113.1\n", {}, "record-type"],
    ["a time that is none", "www 5x A 203.0.113.1\nftp A 203.0.113.1\n", {}, "record-type"],
    ["another purpose than the records show", '@ TXT "x"\n', {}, "purpose"],
    [
      "an explanation for each input",
      "{a} A 203.0.113.1\n{b} A 203.0.113.2\n",
      { inputs: { a: { explain: "one" }, b: { explain: "two" } } },
      "explain",
    ],
  ])("%s is listed", (_, records, more, code) =>
    expect(templateOfKit(kit(records, more)).unsaid.map((one) => one.code)).toContain(code),
  );
  test("an ask keeps its name and its records on the way back", () => {
    const { template: made } = templateOfKit(kit("www CNAME x.pagewick.example.\n"));
    expect(kitOfTemplate(made).kit).toMatchObject({
      service: "pagewick",
      title: "Pagewick",
      asks: [{ id: "front", purpose: "site", records: "www CNAME x.pagewick.example.\n" }],
    });
  });
});

describe("what a DNS host is told", () => {
  const use = (group: string | undefined, variables: Record<string, string>) => ({
    provider: "pagewick.example",
    service: "site",
    ...(group === undefined ? {} : { group }),
    variables,
  });
  test.each<[string, ReturnType<typeof use>[], [string[], Record<string, string>][]]>([
    ["groups together", [use("a", { x: "1" }), use("b", { x: "1", y: "2" })], [[["a", "b"], { x: "1", y: "2" }]]],
    ["a group once", [use("a", { x: "1" }), use("a", { x: "1" })], [[["a"], { x: "1" }]]],
    [
      "other values by themselves: nobody gets somebody else's",
      [use("a", { x: "1" }), use("b", { x: "2" })],
      [
        [["a"], { x: "1" }],
        [["b"], { x: "2" }],
      ],
    ],
    ["all of it, where one names no group", [use("a", {}), use(undefined, {})], [[[], {}]]],
  ])("%s", (_, uses, expected) =>
    expect(templateCalls(uses).map(({ groups, variables }) => [groups, variables])).toEqual(expected),
  );
  test("a variable never says what the link itself says", () => {
    const [call] = templateCalls([use("a", { force: "1", redirect_uri: "https://sly.example", domain: "sly.example", x: "1" })]);
    const query = new URLSearchParams(linkQuery(call as TemplateCall, { domain: "brackwater.example" }));
    expect(Object.fromEntries(query)).toEqual({ domain: "brackwater.example", x: "1", groupId: "a" });
    expect(checkTemplate(template([{ type: "A", host: "x", pointsTo: "%force%" }]))).toMatchObject([
      { code: "variable-reserved", field: "force" },
    ]);
  });
});

describe("what a host removes by itself", () => {
  const zone = toSets(
    readRecords(
      '@ SOA a b 1 1 1 1 1\n@ NS ns1.nettlehost.example.\n@ A 192.0.2.1\n@ AAAA 2001:db8::1\n@ MX 10 mx1.inglemail.example.\n@ TXT "v=spf1 -all"\n@ TXT "old-claim:1"\nwww CNAME parked.nettlehost.example.\nsub A 192.0.2.2\nx.sub TXT "t"\n',
      { origin: apex, ttl: 60 },
    ).records,
  );
  const gone = (...incoming: Incoming[]) =>
    removedByHost(zone, apex, incoming).map((set) => `${set.name.replace(apex, "") || "@"} ${set.type} ${set.data.length}`);
  const at = (label: string) => name(label === "@" ? "" : label, apex) ?? apex;
  test.each<[string, Incoming, string[]]>([
    ["an address takes addresses of both kinds", { name: apex, type: "A" }, ["@ A 1", "@ AAAA 1"]],
    ["an address takes an alias", { name: at("www"), type: "A" }, ["www. CNAME 1"]],
    ["an alias takes everything at its name", { name: at("sub"), type: "CNAME" }, ["sub. A 1"]],
    ["mail servers take mail servers", { name: apex, type: "MX" }, ["@ MX 1"]],
    ["a text takes nothing by itself", { name: apex, type: "TXT" }, []],
    ["a text takes those of a prefix", { name: apex, type: "TXT", texts: { mode: "prefix", prefix: "old-claim:" } }, ["@ TXT 1"]],
    ["a text takes all texts", { name: apex, type: "TXT", texts: { mode: "all" } }, ["@ TXT 2"]],
    ["a delegation takes everything at and below its name", { name: at("sub"), type: "NS" }, ["sub. A 1", "x.sub. TXT 1"]],
    ["nothing takes the zone's own name servers", { name: apex, type: "CNAME" }, ["@ A 1", "@ AAAA 1", "@ MX 1", "@ TXT 2"]],
  ])("%s", (_, incoming, expected) => expect(gone(incoming)).toEqual(expected));
});

describe("a signed link", () => {
  const { privateKey, publicKey } = generateKeyPairSync("rsa", { modulusLength: 2048 });
  const query = "domain=brackwater.example&claimCode=77aa";
  test("the key comes in pieces, in whatever order, and verifies what its other half signed", () => {
    const signed = signedQuery(query, privateKey, "k1");
    expect(signed).toMatch(/^domain=brackwater\.example&claimCode=77aa&sig=[^&]+&key=k1$/);
    const pieces = piecesOf(publicKey);
    expect(pieces.length).toBeGreaterThan(1);
    const key = keyFromPieces([...pieces].reverse());
    expect(key !== undefined && isSignedBy(signed, key)).toBe(true);
    expect(key !== undefined && isSignedBy(signed.replace("77aa", "77ab"), key)).toBe(false);
    expect(key !== undefined && isSignedBy(query, key)).toBe(false);
    expect(keyFromPieces(pieces.slice(1))).toBeUndefined();
    expect(keyFromPieces([])).toBeUndefined();
  });
});

describe("what the records of a template are to a zone", () => {
  const at = (host: string, more: object = {}, call: { host?: string; variables?: Record<string, string> } = {}) =>
    incomingRecords(
      template([{ type: "A", pointsTo: "203.0.113.1", host, ...more }]).records,
      { groups: [], variables: {}, ...call },
      apex,
    ).map((one) => one.name.slice(0, -1));
  test.each<[string, string, string?]>([
    ["@", "brackwater.example"],
    ["", "brackwater.example"],
    ["OLD", "old.brackwater.example"],
    ["old.brackwater.example.", "old.brackwater.example"],
    ["old.brackwater.example", "old.brackwater.example"],
    ["%fqdn%.", "brackwater.example"],
    ["%fqdn%", "brackwater.example"],
    ["_x.%fqdn%", "_x.brackwater.example"],
    ["%domain%", "brackwater.example"],
    ["@", "go.brackwater.example", "go"],
    ["www", "www.go.brackwater.example", "go"],
    ["%fqdn%", "go.brackwater.example", "go"],
    ["*", "*.brackwater.example"],
  ])("host %s is %s (for the host %s)", (host, name, ...[chosen]) =>
    expect(at(host, {}, chosen === undefined ? {} : { host: chosen })).toEqual([name]),
  );
  test("a name of somebody else's is none of them, and a group counts only where it is asked for", () => {
    expect(at("x.other.example.")).toEqual([]);
    const two = template([
      { type: "A", groupId: "a", host: "x", pointsTo: "203.0.113.1" },
      { type: "REDIR301", groupId: "b", host: "y", target: "https://z.example/" },
    ]);
    expect(incomingRecords(two.records, { groups: ["b"], variables: {} }, apex)).toMatchObject([{ type: "REDIR301" }]);
  });
  test.each<[string, string[]]>([
    ["REDIR301", ["A", "CNAME"]],
    ["APEXCNAME", ["A", "CNAME"]],
    ["NS", ["A", "CNAME", "MX", "TXT"]],
  ])("%s takes %j away", (type, gone) => {
    const zone = toSets(
      readRecords('go A 203.0.113.1\ngo MX 10 a.example.\ngo TXT "x"\nx.go CNAME b.example.\n', { origin: apex, ttl: 60 })
        .records,
    );
    const name_ = name("go.brackwater.example");
    const removed = removedByHost(zone, apex, [{ name: name_, type }]).map((set) => set.type);
    expect(removed.sort()).toEqual(gone.filter((one) => type === "NS" || one !== "CNAME").sort());
  });
});
