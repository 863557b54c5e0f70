import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { type Clause, clause } from "../clause/index.ts";
import { answerFromZones, memoized, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { printData, printRecord, type RecordSet, recordsOf, toSets } from "../record/index.ts";
import { compareSerials, editZone, negativeTtl, nextSerial, readRecords, readZone, type SetChange, zonesOf } from "./index.ts";

const origin = name("brackwater.example");
const n = (text: string) => name(text, origin);

const ZONE = `; Brackwater Puppet Theatre
$TTL 1h
@   IN SOA ns1.nettlehost.example. hostmaster ( 2026030101 ; serial
        7200 900 1209600 300 )
    IN NS  ns1.nettlehost.example.
    IN NS  ns2.nettlehost.example.
    IN TXT "v=spf1 -all"   ; nothing is sent yet
www 600 IN CNAME parked.nettlehost.example.
box IN A 192.0.2.20
    IN A 192.0.2.21
*.tour IN TXT "wild"
a.b.deep IN A 192.0.2.30
shop NS ns.shop
ns.shop A 192.0.2.53
ring1 CNAME ring2
ring2 CNAME ring1
here CNAME box
*.alias CNAME box
`;
const document = readZone(ZONE, { origin });
const zones = zonesOf(document);

describe("answers from a zone (RFC 1034 section 4.3.2, RFC 4592)", () => {
  test.each([
    ["box", "A", "found", "192.0.2.20 192.0.2.21"],
    ["box", "TXT", "nodata", ""],
    ["nobody", "TXT", "nxdomain", ""],
    ["x.nobody", "TXT", "nxdomain", ""],
    ["deep", "A", "nodata", ""],
    ["b.deep", "A", "nodata", ""],
    ["x.tour", "TXT", "found", '"wild"'],
    ["y.x.tour", "TXT", "found", '"wild"'],
    ["x.tour", "A", "nodata", ""],
    ["tour", "TXT", "nodata", ""],
    ["*.tour", "TXT", "found", '"wild"'],
    ["here", "A", "found", "192.0.2.20 192.0.2.21"],
    ["here", "TXT", "nodata", ""],
    ["here", "CNAME", "found", "box.brackwater.example."],
    ["_dmarc.alias", "A", "found", "192.0.2.20 192.0.2.21"],
    ["www", "TXT", "failed", "outside"],
    ["shop", "A", "failed", "delegated"],
    ["x.shop", "TXT", "failed", "delegated"],
    ["shop", "DS", "nodata", ""],
    ["ring1", "A", "failed", "loop"],
    ["elsewhere.test.", "A", "failed", "outside"],
  ])("%s %s is %s", (of, type, kind, shown) => {
    const answer = answerFromZones(zones, n(of), type);
    expect(answer.kind).toBe(kind);
    if (answer.kind === "found") expect(answer.set.data.map((data) => printData(type, data)).join(" ")).toBe(shown);
    if (answer.kind === "failed") expect(answer.why).toBe(shown);
    if (answer.kind === "nodata" || answer.kind === "nxdomain") expect(negativeTtl(answer.soa!)).toBe(300);
  });

  test("a DNAME leads everything below it elsewhere, and not the name itself (RFC 6672)", () => {
    const led = zonesOf(
      readZone(
        "@ 60 SOA a b 1 1 1 1 1\nold 60 DNAME new\nold 60 TXT own\nhidden.old 60 TXT never\nwww.new 60 A 192.0.2.1\nwild 60 DNAME else.test.\n",
        { origin },
      ),
    );
    expect(answerFromZones(led, n("www.old"), "A")).toMatchObject({
      kind: "found",
      set: { name: n("www.new") },
      chain: [{ name: n("www.old"), type: "CNAME", ttl: 60, data: [{ target: n("www.new") }] }],
    });
    expect(answerFromZones(led, n("old"), "TXT").kind).toBe("found");
    expect(answerFromZones(led, n("old"), "DNAME").kind).toBe("found");
    expect(answerFromZones(led, n("hidden.old"), "TXT").kind).toBe("nxdomain");
    expect(answerFromZones(led, n("a.b.wild"), "A")).toMatchObject({ kind: "failed", why: "outside" });
  });

  test("an existing name below the wildcard blocks it, and so does an empty one", () => {
    const blocked = zonesOf(
      readZone("@ 60 SOA a b 1 1 1 1 1\n*.x TXT wild\nhost.x A 192.0.2.1\na.empty.x A 192.0.2.1\n", { origin }),
    );
    expect(answerFromZones(blocked, n("host.x"), "TXT").kind).toBe("nodata");
    expect(answerFromZones(blocked, n("deeper.host.x"), "TXT").kind).toBe("nxdomain");
    expect(answerFromZones(blocked, n("empty.x"), "TXT").kind).toBe("nodata");
    expect(answerFromZones(blocked, n("other.empty.x"), "TXT").kind).toBe("nxdomain");
    expect(answerFromZones(blocked, n("free.x"), "TXT").kind).toBe("found");
  });

  test("a referral carries the addresses the zone holds", () => {
    expect(answerFromZones(zones, n("x.shop"), "TXT")).toMatchObject({
      delegation: { ns: { name: "shop.brackwater.example." }, glue: [{ name: "ns.shop.brackwater.example." }] },
    });
  });

  test("a file may hold several zones, or none with an SOA", () => {
    const two = zonesOf(
      readZone("$TTL 60\na.example. SOA x y 1 1 1 1 1\nb.example. SOA x y 1 1 1 1 1\nw.b.example. A 192.0.2.1\n"),
    );
    expect(two.map((zone) => zone.apex)).toEqual(["a.example.", "b.example."]);
    expect(answerFromZones(two, name("w.b.example"), "A").kind).toBe("found");
    expect(zonesOf(readZone("$TTL 60\nx.a.example. A 192.0.2.1\ny.a.example. A 192.0.2.1\n")).map((zone) => zone.apex)).toEqual([
      "a.example.",
    ]);
    expect(zonesOf(readZone("$TTL 60\n$ORIGIN a.example.\nx A 192.0.2.1\n")).map((zone) => zone.apex)).toEqual(["a.example."]);
  });

  test("what lies outside the files is asked beyond them, once", async () => {
    const asked: string[] = [];
    const beyond = {
      ask: async (of: string, type: string) => {
        asked.push(`${of} ${type}`);
        return { kind: "nodata" as const, chain: [], authoritative: false };
      },
    };
    const lookup = memoized(zoneLookup(zones, beyond));
    const answers = await Promise.all([lookup.ask(n("www"), "TXT"), lookup.ask(n("www"), "TXT")]);
    expect(answers[0]).toMatchObject({ kind: "nodata", chain: [{ name: "www.brackwater.example." }] });
    expect(asked).toEqual(["parked.nettlehost.example. TXT"]);
  });
});

describe("reading files", () => {
  test("$INCLUDE takes another file in, and the origin holds again behind it", () => {
    const files: Record<string, string> = { "sub.zone": "in A 192.0.2.7\n$ORIGIN elsewhere.test.\nx A 192.0.2.8\n" };
    const read = readZone("$TTL 60\n$INCLUDE sub.zone sub\nafter A 192.0.2.9\n", {
      origin,
      include: (path) => ({ text: files[path] as string }),
    });
    expect(read.issues).toEqual([]);
    expect(read.entries.map((entry) => entry.name)).toEqual([
      "in.sub.brackwater.example.",
      "x.elsewhere.test.",
      "after.brackwater.example.",
    ]);
  });
  test("files that include each other end with an issue, not a hang", () => {
    const read = readZone("$INCLUDE self\n", { include: () => ({ text: "$INCLUDE self\n" }) });
    expect(read.issues[0]?.expected).toEqual(clause("expected-no-loop-of-files"));
  });
  test.each<[string, number, Clause]>([
    ["a file a thousand times", 10, clause("expected-fewer-files", { most: 200 })],
    ["large files", 40 << 20, clause("expected-smaller-files", { octets: 64 << 20 })],
  ])("%s cannot be included without an end", (_, length, expected) => {
    const text = ";".padEnd(length, "x");
    const { issues } = readZone("$INCLUDE a\n".repeat(1000), { origin, include: () => ({ text }) });
    expect(issues[0]?.expected).toEqual(expected);
  });
  test("a missing TTL is named", () => {
    expect(readZone("@ A 192.0.2.1\n", { origin }).issues[0]?.expected).toEqual(clause("expected-ttl"));
  });
  test("any text is read to its end without an exception", () => {
    fc.assert(
      fc.property(
        fc.string({ unit: fc.constantFrom("@", "A", " ", "\n", '"', "(", ")", ";", "\\", "$", "1", "TXT", "\t", "\r") }),
        (text) => {
          readZone(text, { origin, ttl: 60 });
        },
      ),
    );
  });
});

describe("editing in place", () => {
  const sets = new Map(toSets(document.entries).map((set) => [`${set.name} ${set.type}`, set]));
  const setOf = (lines: string): RecordSet => toSets(readRecords(lines, { origin, ttl: 3600 }).records)[0]!;
  const change = (of: string, type: string, after: string | undefined): SetChange => ({
    name: n(of),
    type,
    before: sets.get(`${n(of)} ${type}`),
    after: after === undefined ? undefined : setOf(after),
  });
  const edit = (...changes: SetChange[]) => editZone(document, changes, { origin }, "20260302");

  test.each<[string, SetChange, string, string]>([
    [
      "a new text beside an old one",
      change("@", "TXT", '@ TXT "v=spf1 -all"\n@ TXT "seekmere-owner=4f1d"'),
      '    IN TXT "v=spf1 -all"   ; nothing is sent yet\n',
      '    IN TXT "v=spf1 -all"   ; nothing is sent yet\n@\tIN\tTXT\t"seekmere-owner=4f1d"\n',
    ],
    [
      "a new name",
      change("_sb", "CNAME", "_sb CNAME x.sealbarrow.example."),
      "*.alias CNAME box\n",
      "*.alias CNAME box\n_sb\tIN\tCNAME\tx.sealbarrow.example.\n",
    ],
    [
      "another target",
      change("www", "CNAME", "www 600 CNAME sites.pagewick.example."),
      "www 600 IN CNAME parked.nettlehost.example.\n",
      "www\t600\tIN\tCNAME\tsites.pagewick.example.\n",
    ],
    ["a removal", change("here", "CNAME", undefined), "here CNAME box\n", ""],
    [
      "the owner moves to the line that stays",
      change("box", "A", "box A 192.0.2.21"),
      "box IN A 192.0.2.20\n    IN A 192.0.2.21\n",
      "box    IN A 192.0.2.21\n",
    ],
  ])("%s", (_, one, was, is) => {
    const result = edit(one);
    expect(result.ok && result.value.text).toBe(ZONE.replace(was, is).replace("2026030101", "2026030200"));
  });

  test("refuses where somebody changed the set since", () => {
    expect(edit({ ...change("www", "CNAME", undefined), before: setOf("www CNAME other.example.") })).toMatchObject({
      ok: false,
      error: { code: "conflict", now: { data: [{ target: "parked.nettlehost.example." }] } },
    });
    expect(edit({ ...change("www", "CNAME", undefined), before: undefined })).toMatchObject({
      ok: false,
      error: { code: "conflict" },
    });
  });
  test("refuses where somebody changed the TTL since", () => {
    const one = change("www", "CNAME", undefined);
    expect(edit(one).ok).toBe(true);
    const before = one.before === undefined ? undefined : { ...one.before, ttl: one.before.ttl + 60 };
    expect(edit({ ...one, before })).toMatchObject({ ok: false, error: { code: "conflict" } });
  });
  test("refuses a file without an SOA, and a record that lives in an included file", () => {
    const bare = readZone("$TTL 60\na A 192.0.2.1\n", { origin });
    expect(editZone(bare, [], { origin }, "20260302")).toEqual({ ok: false, error: { code: "no-soa" } });
    // A signature of any set would fit no more.
    const signed = readZone(
      "@ 60 SOA a b 1 1 1 1 1\n@ 60 TXT a\n@ 60 RRSIG TXT 13 2 60 20260401000000 20260301000000 815 @ AAAA\n",
      { origin },
    );
    expect(signed.issues).toEqual([]);
    const text = { name: origin, type: "TXT", ttl: 60, data: [{ strings: ["a"] }] };
    expect(editZone(signed, [{ name: origin, type: "TXT", before: text, after: undefined }], { origin }, "20260302")).toEqual({
      ok: false,
      error: { code: "signed" },
    });
    const options = { origin, include: () => ({ text: "inc A 192.0.2.1\n" }) };
    const including = readZone("$TTL 60\n@ SOA a b 1 1 1 1 1\n$INCLUDE x\n", options);
    const removal = { name: n("inc"), type: "A", before: setOf("inc 60 A 192.0.2.1"), after: undefined };
    expect(editZone(including, [removal], options, "20260302")).toMatchObject({
      ok: false,
      error: { code: "included", file: "x" },
    });
  });
  test("line ends stay as they are, and a last line without one gets one", () => {
    const dos = readZone("$TTL 60\r\n@ SOA a b 1 1 1 1 1\r\nx A 192.0.2.1", { origin });
    const result = editZone(
      dos,
      [{ name: n("y"), type: "A", before: undefined, after: setOf("y 60 A 192.0.2.2") }],
      { origin },
      "20260302",
    );
    expect(result.ok && result.value.text).toBe("$TTL 60\r\n@ SOA a b 2 1 1 1 1\r\nx A 192.0.2.1\r\ny\tA\t192.0.2.2\r\n");
  });
  test("any change is carried out exactly, and undone again", () => {
    const names = fc.constantFrom("@", "www", "box", "new", "*.tour", "a.b.deep");
    const wanted = fc.array(
      fc.tuple(
        names,
        fc.constantFrom("A", "TXT"),
        fc.uniqueArray(fc.integer({ min: 1, max: 250 }), { maxLength: 3 }),
        fc.constantFrom(60, 3600),
      ),
      { minLength: 1, maxLength: 4 },
    );
    fc.assert(
      fc.property(wanted, (list) => {
        const changes = new Map<string, SetChange>();
        for (const [of, type, values, ttl] of list) {
          const after =
            values.length === 0
              ? undefined
              : setOf(values.map((v) => `${of} ${ttl} ${type} ${type === "A" ? `192.0.2.${v}` : `"v${v}"`}`).join("\n"));
          changes.set(`${n(of)} ${type}`, { name: n(of), type, before: sets.get(`${n(of)} ${type}`), after });
        }
        const there = editZone(document, [...changes.values()], { origin }, "20260302");
        if (!there.ok) throw new Error(there.error.code);
        const back = [...changes.values()].map((c) => ({ ...c, before: c.after, after: c.before }));
        const again = editZone(readZone(there.value.text, { origin }), back, { origin }, "20260302");
        if (!again.ok) throw new Error(again.error.code);
        const lines = (text: string) =>
          toSets(readZone(text, { origin }).entries)
            .filter((s) => s.type !== "SOA")
            .flatMap(recordsOf)
            .map(printRecord)
            .sort();
        expect(lines(again.value.text)).toEqual(lines(ZONE));
        expect(there.value.text).toContain("; Brackwater Puppet Theatre");
      }),
    );
  });
});

describe("serial numbers (RFC 1982)", () => {
  test.each([
    [1, 2, -1],
    [2, 1, 1],
    [5, 5, 0],
    [0xffffffff, 0, -1],
    [0, 0x80000000, undefined],
  ])("%i against %i", (a, b, expected) => expect(compareSerials(a, b)).toBe(expected));
  test.each([
    [7, 8],
    [2026030101, 2026030200],
    [2026030299, 2026030300],
    [2026030205, 2026030206],
    [2027010100, 2027010101],
    [0xffffffff, 1],
  ])("after %i comes %i", (serial, next) => expect(nextSerial(serial, "20260302")).toBe(next));
});
