import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { demoHere, useCase } from "../../../tests/use-case.ts";
import { STATES } from "../../core/ask/index.ts";
import { judge, pieceOf, type Seen } from "../../core/judgement/index.ts";

const HEAD = "$ORIGIN brackwater.example.\n$TTL 1h\n@ SOA ns1 h 1 2h 15m 2w 5m\n@ NS ns1\nns1 A 192.0.2.53\n";
/** Records that stand in a zone and are nobody's ask. */
const BESIDE = [
  "@ MX 10 mx1.inglemail.example.",
  "@ MX 20 mx2.inglemail.example.",
  '@ TXT "v=spf1 include:spf.inglemail.example -all"',
  '@ TXT "other-tool=77b1"',
  "@ A 203.0.113.7",
  '@ CAA 0 issue "sealbarrow.example"',
  "mail A 203.0.113.8",
  "blog CNAME sites.pagewick.example.",
  '_dmarc TXT "v=DMARC1; p=none; rua=mailto:r@brackwater.example"',
  "_sip._tls SRV 10 5 443 sip.quaylet.example.",
];
/** What asks want, none of which stands in the way of the others. */
const WANTED = [
  'records: |\n      @ TXT "quaylet-site=4f1d0c77"',
  "records: |\n      www CNAME sites.pagewick.example.",
  "records: |\n      hp1._domainkey CNAME hp1.ka.heronpost.example.",
  "spf: include:spf.heronpost.example",
  'records: |\n      _dmarc TXT "v=DMARC1; p=quarantine"',
  "records: |\n      bounce MX 10 mx.heronpost.example.",
  '  records: |\n      @ CAA 0 issue "quaylet.example"'.trim(),
];
const subset = <T>(all: readonly T[]) => fc.subarray([...all], { minLength: 1 });

describe("for any zone and any asks", () => {
  const here = (zone: readonly string[], wanted: readonly string[]) => {
    const at = demoHere({ "brackwater.example.zone": `${HEAD}${zone.join("\n")}\n` });
    const asks = wanted.map((wants, i) => `  - id: ask-${i}\n    service: seekmere\n    purpose: ownership\n    ${wants}\n`);
    writeFileSync(
      join(at.folder, "domains/brackwater.example.yaml"),
      `domain: brackwater.example\nhost: nettlehost\nasks:\n${asks.join("")}`,
    );
    return at;
  };
  const file = (at: { readonly folder: string }) => join(at.folder, "brackwater.example.zone");
  const verdict = async (at: Parameters<typeof useCase>[0]) => {
    const { result, ended } = await useCase(
      { ...at, now: Date.parse("2026-03-03T09:00:00Z") },
      "status",
      "--zone-file",
      "brackwater.example.zone",
      "--zone-file",
      "services.zone",
    );
    return { ended, ...result.domains[0].judgement, gone: result.domains[0].lost };
  };
  test("what the draft brings is met, nothing else is lost, and whatever is taken away then is noticed", async () => {
    await fc.assert(
      fc.asyncProperty(subset(BESIDE), subset(WANTED), fc.nat(), async (zone, wanted, drawn) => {
        const at = here(zone, wanted);
        expect((await useCase(at, "publish")).ended).toBe("fine");
        const after = await verdict(at);
        expect({ verdict: after.verdict, ended: after.ended, lost: after.lost }).toEqual({
          verdict: "done",
          ended: "fine",
          lost: 0,
        });
        const lines = readFileSync(file(at), "utf8").split("\n");
        const mine = lines.flatMap((line, i) => (/^\$|^\s*$|\b(SOA|NS)\b|^ns1/.test(line) ? [] : [i]));
        const gone = mine[drawn % mine.length] as number;
        writeFileSync(file(at), lines.filter((_, i) => i !== gone).join("\n"));
        const less = await verdict(at);
        expect([lines[gone], less.verdict, less.ended]).toEqual([lines[gone], "open", "problem"]);
        const draft = await useCase(at, "draft", "--zone-file", "brackwater.example.zone", "--zone-file", "services.zone");
        expect(draft.result.lost).toEqual(less.gone);
        expect(
          draft.result.lost.length + draft.result.changes.filter(({ action }: { action: string }) => action !== "keep").length,
        ).toBeGreaterThan(0);
      }),
      { numRuns: 25 },
    );
  });
});

describe("the standing of one ask", () => {
  const seen: fc.Arbitrary<Seen> = fc.record({
    ask: fc.constant("a"),
    state: fc.constantFrom(...STATES),
    isOwn: fc.boolean(),
    isContradicted: fc.boolean(),
    until: fc.option(fc.nat(100), { nil: undefined }),
    now: fc.nat(100),
    ground: fc.constantFrom("not-delegated", "refused", "sick-server", undefined),
    drafted: fc.subarray(["add", "replace", "merge", "remove"] as const),
  });
  test("is done only where it is there and everyone sees it, and always says who can do what", () => {
    fc.assert(
      fc.property(seen, fc.nat(2), (one, lost) => {
        const piece = pieceOf(one);
        const isThere = one.state === "settled" || one.state === "proven";
        expect(piece.is === "met").toBe(isThere && (one.until === undefined || one.until <= one.now));
        expect(piece.is === "undetermined").toBe(one.state === "unknown");
        expect(piece.act === "none").toBe(piece.by === "nobody");
        if (piece.act === "none") expect(piece.is).toBe("met");
        const { verdict } = judge([piece], lost);
        expect(verdict === "done").toBe(piece.is === "met" && lost === 0);
        expect(verdict === "undetermined").toBe(piece.is === "undetermined");
      }),
    );
  });
  test.each<[Partial<Seen>, string, string, string]>([
    [{ state: "noted", drafted: ["add"] }, "missing", "enter", "person"],
    [{ state: "noted", drafted: ["merge"] }, "missing", "change", "person"],
    [{ state: "astray", isContradicted: true, drafted: ["remove"] }, "contradicted", "delete", "person"],
    [{ state: "clashing" }, "contradicted", "decide", "person"],
    [{ state: "astray", ground: "not-delegated" }, "missing", "move-host", "registrar"],
    [{ state: "astray", ground: "refused" }, "missing", "mend-signatures", "dns-host"],
    [{ state: "astray", ground: "sick-server" }, "missing", "wait", "dns-host"],
    [{ state: "settled", until: 9 }, "not-visible-yet", "wait", "time"],
    [{ state: "settled" }, "met", "ask-service", "service"],
    [{ state: "settled", isOwn: true }, "met", "none", "nobody"],
    [{ state: "unknown" }, "undetermined", "look-again", "person"],
  ])("%j is %s: %s, by %s", (more, is, act, by) => {
    const usual: Seen = {
      ask: "a",
      state: "noted",
      isOwn: false,
      isContradicted: false,
      until: undefined,
      now: 5,
      ground: undefined,
      drafted: [],
    };
    expect(pieceOf({ ...usual, ...more })).toMatchObject({ is, act, by });
  });
});
