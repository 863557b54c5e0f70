import { describe, expect, test } from "@jest/globals";
import { allInWords } from "../../present/clauses/index.ts";
import { verbatim } from "../clause/index.ts";
import { type Fetched, type HostAsked, judgePage, judgePair } from "./index.ts";

const [APEX, WWW] = ["brackwater.example", "www.brackwater.example"];
const PATH = "/zandrel/check?kept=yes";
const page = (url: string, status: number, location?: string, body = "<h1>Puppets</h1>"): Fetched => ({
  page: { url, status, body, ...(location === undefined ? {} : { location }) },
});
/** A web where each host answers by a rule: what it redirects to, or nothing where it shows the site. */
const doors = (rules: Readonly<Record<string, string | undefined>>, status = 301) => {
  const follow = (from: string): Fetched[] => {
    const chain: Fetched[] = [];
    for (let url: string | undefined = from; url !== undefined && chain.length < 6; ) {
      const at = new URL(url);
      const to: string | undefined = rules[`${at.protocol}//${at.hostname}`]?.replace("*", `${at.pathname}${at.search}`);
      chain.push(page(url, to === undefined ? 200 : status, to));
      url = to;
    }
    return chain;
  };
  const urls = [APEX, WWW].flatMap((host) => [`http://${host}${PATH}`, `https://${host}${PATH}`]);
  return { apex: APEX, www: WWW, chains: new Map(urls.map((url) => [url, follow(url)] as const)) };
};
const RIGHT = {
  "http://brackwater.example": `https://${WWW}*`,
  "https://brackwater.example": `https://${WWW}*`,
  "http://www.brackwater.example": `https://${WWW}*`,
};

describe("the domain itself and www, together", () => {
  test("one shows the site, and the other redirects there, path and HTTPS kept", () => {
    expect(allInWords(judgePair(doors(RIGHT)).map(({ met }) => met))).toEqual([true, true, true]);
  });
  test.each<[string, Record<string, string>, number, string, RegExp]>([
    [
      "both show it",
      { "http://brackwater.example": `https://${APEX}*`, "http://www.brackwater.example": `https://${WWW}*` },
      301,
      "both-serve",
      /search engines take them for two/,
    ],
    [
      "a circle",
      { "https://brackwater.example": `https://${WWW}*`, "https://www.brackwater.example": `https://${APEX}*` },
      301,
      "loop",
      /in a circle/,
    ],
    ["a temporary redirect", RIGHT, 302, "pair", /temporary \(302\)/],
    ["the path lost", { ...RIGHT, "https://brackwater.example": `https://${WWW}/` }, 301, "pair", /the path is lost/],
    ["no encryption at the end", { ...RIGHT, "http://www.brackwater.example": `http://${WWW}/start` }, 301, "loop|pair", /./],
    [
      "two different ends",
      { ...RIGHT, "https://brackwater.example": "https://shop.brackwater.example*" },
      301,
      "apart",
      /arrives at shop.brackwater.example/,
    ],
  ])("%s", (_, rules, status, id, because) => {
    const wrong = judgePair(doors(rules, status)).filter(({ met }) => met !== true);
    expect(allInWords(wrong[0]?.id)).toMatch(new RegExp(`^(?:${id})$`));
    expect(allInWords(wrong[0]?.because)).toMatch(because);
  });
  test("where one could not be looked at, nothing is said of the pair", () => {
    const unseen: Fetched[] = [{ none: { url: "", kind: "unknown", detail: verbatim("late") } }];
    expect(
      allInWords(
        judgePair({
          apex: APEX,
          www: WWW,
          chains: new Map([
            [`https://${APEX}/`, unseen],
            [`https://${WWW}/`, [page(`https://${WWW}/`, 200)]],
          ]),
        }),
      ),
    ).toEqual([]);
  });
});

const asked = (more: Partial<HostAsked> = {}): HostAsked => ({
  host: APEX,
  asked: "here",
  isPublished: true,
  other: WWW,
  builder: "Pagewick",
  dnsHost: "Nettlehost",
  ...more,
});
const remedyOf = (body: string, status: number, more: Partial<HostAsked>): string =>
  String(allInWords(judgePage(asked(more), [page(`https://${APEX}/`, status, undefined, body)])[0]?.remedy));

test.each([
  ["<body>This domain is parked at Nettlehost.</body>", 200, "parked", "parked"],
  ["<body>No such site here</body>", 404, "wrong-service", "wrong-service"],
  ["<body>oops</body>", 503, "page", undefined],
  ["<body>Not found</body>", 404, "page", "no-page"],
  ["<body>Members only</body>", 403, "page", "no-page"],
  ["<body>Password?</body>", 401, "page", "no-page"],
  ["<body>  \n</body>", 200, "page", "no-page"],
  ["", 200, "page", "no-page"],
])("%s (%i) is not a site", (body, status, id, flaw) => {
  expect(judgePage(asked(), [page(`https://${APEX}/`, status, undefined, body)])).toMatchObject([{ id, ...(flaw && { flaw }) }]);
});
test.each(["<p>Welcome</p>", '<script src="/app.js"></script>', '<img src="/poster.png">', "<form><input></form>"])(
  "%s is one",
  (body) => expect(judgePage(asked(), [page(`https://${APEX}/`, 200, undefined, body)])).toEqual([]),
);

const PARKED_PAGE = "<body>This domain is parked.</body>";
test.each<[string, string, number, Partial<HostAsked>, string]>([
  ["parked, and published as asked", PARKED_PAGE, 200, {}, "finish connecting brackwater.example at Pagewick"],
  ["parked, and not published", PARKED_PAGE, 200, { isPublished: false }, "publish what Pagewick asks for"],
  [
    "parked, asked for www only",
    PARKED_PAGE,
    200,
    { asked: "other" },
    "permanent redirect (301) from brackwater.example to www.brackwater.example at Nettlehost",
  ],
  ["parked, nobody asked", PARKED_PAGE, 200, { asked: "nowhere", builder: undefined }, "zandrel intake"],
  ["no page, published", "<p>none</p>", 404, {}, "see at Pagewick that the site is published"],
  ["no page, nobody asked", "<p>none</p>", 404, { asked: "nowhere" }, "ask the person who runs the site"],
])("the remedy follows from what is asked: %s", (_, body, status, more, remedy) => {
  expect(remedyOf(body, status, more)).toContain(remedy);
});

test("a page that shows the other one in a frame is no second site", () => {
  const framed = '<iframe src="https://www.x/" width="100%"></iframe>';
  const chains = new Map([
    [`https://${APEX}/`, [page(`https://${APEX}/`, 200, undefined, framed)]],
    [`https://${WWW}/`, [page(`https://${WWW}/`, 200)]],
  ]);
  expect(judgePair({ apex: APEX, www: WWW, chains })).toMatchObject([{ id: "pair", flaw: "framed", name: `https://${APEX}/` }]);
});
