import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { failed, type Lookup, zoneLookup } from "../lookup/index.ts";
import { name } from "../name/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import {
  covers,
  type Fetched,
  type HostAsked,
  judgeAddresses,
  judgeCertificate,
  judgeProof,
  judgeRedirect,
  mayIssue,
  type Page,
} from "./index.ts";

const page = (url: string, more: Partial<Page> = {}): Fetched => ({ page: { url, status: 200, body: "", ...more } });
const to = (url: string, location: string, status = 301) => page(url, { status, location });
const gone = (url: string): Fetched => ({ none: { url, kind: "unreachable", detail: verbatim("nobody answers") } });

describe("CAA (RFC 8659 section 3)", () => {
  const lookup: Lookup = zoneLookup(
    zonesOf(
      readZone(
        '$TTL 60\n$ORIGIN example.\n@ SOA a b 1 1 1 1 1\nbrackwater CAA 0 issue "sealbarrow.example; account=1"\nnone CAA 0 issue ";"\nonly-iodef CAA 0 iodef "mailto:a@x.test"\nwild CAA 0 issue "sealbarrow.example"\nwild CAA 0 issuewild "other.example"\ncritical CAA 128 future "x"\nalias CNAME none\ntwo CAA 0 issue "other.example"\ntwo CAA 0 issue "sealbarrow.example"\n',
      ),
    ),
  );
  test.each<[string, boolean, string]>([
    ["brackwater.example", false, "allowed"],
    ["www.brackwater.example", false, "allowed"],
    ["a.b.none.example", false, "forbidden"],
    ["none.example", false, "forbidden"],
    ["only-iodef.example", false, "allowed"],
    ["wild.example", false, "allowed"],
    ["wild.example", true, "forbidden"],
    ["critical.example", false, "forbidden"],
    ["alias.example", false, "forbidden"],
    ["two.example", false, "allowed"],
    ["free.example", false, "allowed"],
  ])("%s (wildcard: %s) is %s", async (of, wildcard, kind) =>
    expect(allInWords((await mayIssue(lookup, name(of), "sealbarrow.example", wildcard)).kind)).toBe(kind),
  );
  test("what cannot be asked is unknown", async () => {
    expect(
      allInWords((await mayIssue({ ask: async () => failed("timeout", verbatim("late")) }, name("x.example"), "y")).kind),
    ).toBe("unknown");
  });
});

describe("certificates", () => {
  const certificate = { names: ["brackwater.example", "*.sites.pagewick.example"], until: 100 };
  test.each([
    ["brackwater.example", true],
    ["BRACKWATER.example", true],
    ["www.brackwater.example", false],
    ["x.sites.pagewick.example", true],
    ["a.x.sites.pagewick.example", false],
    ["sites.pagewick.example", false],
  ])("%s: %s", (host, expected) => expect(allInWords(covers(certificate, host))).toBe(expected));
  test.each<[string, Fetched, boolean | undefined, RegExp]>([
    ["right", page("https://brackwater.example/", { certificate }), true, /covers/],
    [
      "for another name",
      page("https://x/", { certificate: { ...certificate, names: ["pending.test"] } }),
      false,
      /still pending/,
    ],
    ["expired", page("https://x/", { certificate: { ...certificate, until: 10 } }), false, /expired/],
    ["not trusted", page("https://x/", { certificate: { ...certificate, distrust: "SELF_SIGNED" } }), false, /do not trust/],
    ["nobody answers", gone("https://x/"), false, /nobody answers/],
    ["could not be asked", { none: { url: "https://x/", kind: "unknown", detail: verbatim("SERVFAIL") } }, undefined, /SERVFAIL/],
  ])("%s", (_, fetched, met, because) =>
    expect(allInWords(judgeCertificate("brackwater.example", fetched, 50))).toMatchObject({
      met,
      because: expect.stringMatching(because),
    }),
  );
});

describe("redirects", () => {
  const from = "http://puppetfest.example/a?b=1";
  const end = "https://brackwater.example/a?b=1";
  test.each<[string, Fetched[], boolean | undefined, RegExp]>([
    ["straight", [to(from, end), page(end)], true, /deep links keep working/],
    [
      "over https of its own",
      [to(from, "https://puppetfest.example/a?b=1"), to("https://puppetfest.example/a?b=1", end, 308), page(end)],
      true,
      /leads for good/,
    ],
    ["temporary", [to(from, end, 302), page(end)], false, /temporary \(302\)/],
    [
      "temporary in the middle",
      [to(from, "https://puppetfest.example/a?b=1"), to("https://puppetfest.example/a?b=1", end, 307), page(end)],
      false,
      /temporary \(307\)/,
    ],
    [
      "to another host",
      [to(from, "https://parked.test/a?b=1"), page("https://parked.test/a?b=1")],
      false,
      /leads to parked\.test/,
    ],
    [
      "without encryption",
      [to(from, "http://brackwater.example/a?b=1"), page("http://brackwater.example/a?b=1")],
      false,
      /without encryption/,
    ],
    ["the path lost", [to(from, "https://brackwater.example/"), page("https://brackwater.example/")], false, /path is lost/],
    ["the query lost", [to(from, "https://brackwater.example/a"), page("https://brackwater.example/a")], false, /path is lost/],
    [
      "a frame",
      [page(from, { body: '<frameset rows="100%"><frame src="https://brackwater.example"></frameset>' })],
      false,
      /inside a frame/,
    ],
    ["a refresh", [page(from, { body: '<META http-equiv="refresh" content="0">' })], false, /by itself after loading/],
    ["no redirect", [page(from)], false, /does not redirect/],
    ["nobody answers", [gone(from)], false, /nobody answers/],
    ["the target does not answer", [to(from, end), gone(end)], false, /nobody answers/],
  ])("%s", (_, chain, met, because) =>
    expect(allInWords(judgeRedirect(from, chain, "brackwater.example"))).toMatchObject({
      met,
      because: expect.stringMatching(because),
    }),
  );
});

describe("addresses", () => {
  const asked: HostAsked = {
    ...{ host: "brackwater.example", asked: "here", isPublished: false, other: "www.brackwater.example" },
    ...{ builder: undefined, dnsHost: undefined },
  };
  const host = name("brackwater.example");
  test.each<[string, string[] | undefined, string[], (boolean | undefined)[]]>([
    ["as asked", ["192.0.2.1"], ["192.0.2.1"], [true]],
    ["one missing", ["192.0.2.1"], ["192.0.2.1", "192.0.2.2"], [false]],
    ["a leftover", ["192.0.2.1", "2001:db8::9"], ["192.0.2.1"], [true, false]],
    ["none", [], ["192.0.2.1"], [false]],
    ["not known", undefined, ["192.0.2.1"], [undefined]],
    ["nothing asked", ["192.0.2.9"], [], [true]],
  ])("%s", (_, found, wanted, met) =>
    expect(allInWords(judgeAddresses(host, found, wanted, verbatim("late"), asked).map((one) => one.met))).toEqual(met),
  );
});

describe("proofs on the web", () => {
  const url = "https://brackwater.example/";
  const meta = { kind: "meta", url, name: "seekmere-site", content: "4f1d&" } as const;
  const file = { kind: "file", url: `${url}seekmere.txt`, text: "seekmere-owner=4f1d\n" } as const;
  const TAG = '<head><meta name="seekmere-site" content="4f1d&amp;">';
  const body = (head: string, rest = "") => page(url, { body: `<html><head>${head}</head><body>${rest}</body></html>` });
  test.each<[string, Fetched, boolean | undefined, RegExp]>([
    ["there", body('<meta name="seekmere-site" content="4f1d&amp;">'), true, /has the meta tag/],
    ["in another order, with other quotes", body("<META content='4f1d&' NAME=seekmere-site />"), true, /has/],
    ["another content", body('<meta name="seekmere-site" content="0000">'), false, /another content/],
    ["in the body", body("", '<meta name="seekmere-site" content="4f1d&">'), false, /in the body/],
    ["in a comment", body('<!-- <meta name="seekmere-site" content="4f1d&"> -->'), false, /inside a comment/],
    ["as text", body("", '&lt;meta name="seekmere-site" content="4f1d&"&gt;'), false, /as text/],
    ["missing", body(""), false, /has no meta tag/],
    [
      "under another name's certificate",
      page(url, { body: TAG, certificate: { names: ["parked.example"], until: 1 } }),
      false,
      /a certificate for parked\.example/,
    ],
    [
      "under a certificate nobody trusts",
      page(url, { body: TAG, certificate: { names: ["brackwater.example"], until: 1, distrust: "SELF_SIGNED" } }),
      false,
      /not trusted/,
    ],
    [
      "under its own certificate",
      page(url, { body: TAG, certificate: { names: ["brackwater.example"], until: 1 } }),
      true,
      /has the meta tag/,
    ],
    ["in front of the end of a long page", page(url, { body: TAG, cut: true }), true, /has the meta tag/],
    ["perhaps behind what is read of a long page", page(url, { body: "<head>", cut: true }), undefined, /longer than is read/],
    ["behind a redirect", to(url, "https://www.brackwater.example/"), false, /redirects/],
    ["behind a login", page(url, { status: 401 }), false, /status 401/],
    ["not reachable", gone(url), undefined, /nobody answers/],
  ])("a meta tag: %s", (_, fetched, found, because) =>
    expect(allInWords(judgeProof(meta, fetched))).toMatchObject({ found, because: expect.stringMatching(because) }),
  );
  test.each<[string, Fetched, boolean | undefined, RegExp]>([
    ["there", page(file.url, { body: "\ufeffseekmere-owner=4f1d" }), true, /holds the text/],
    ["inside a page", page(file.url, { body: "<html>seekmere-owner=4f1d</html>" }), false, /other text around/],
    ["a page instead", page(file.url, { body: "<html>hello</html>" }), false, /shows a page of the site/],
    ["another text", page(file.url, { body: "seekmere-owner=0" }), false, /another text/],
    ["missing", page(file.url, { status: 404 }), false, /status 404/],
  ])("a file: %s", (_, fetched, found, because) =>
    expect(allInWords(judgeProof(file, fetched))).toMatchObject({ found, because: expect.stringMatching(because) }),
  );
});
