import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { type Answer, answerFromZones, type Live, type Lookup, liveAt, zoneLookup } from "../src/core/lookup/index.ts";
import { type DomainName, name } from "../src/core/name/index.ts";
import { printData, type RecordSet } from "../src/core/record/index.ts";
import { readZone, type Zone, zonesOf } from "../src/core/zone/index.ts";
import { DnsClient } from "../src/net/index.ts";
import { answers, describeServers, startKnot, startNamed, stopServers } from "./real-servers.ts";
import { freePort } from "./zandrel.ts";

/** Numbers that look random, the same in every run. */
function drawn(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}

const LABELS = ["a", "b", "www", "*"];
const TYPES = ["A", "TXT", "CNAME", "MX"] as const;

/** One line of the small zones: the owner's labels from the left, the type, the data. */
interface Line {
  readonly owner: string;
  readonly type: string;
  readonly data: string;
}

/** A small zone with aliases, DNAMEs, wildcards, cuts and empty names between; every line is legal beside the others. */
function zoneLines(draw: (below: number) => number): Line[] {
  const lines: Line[] = [];
  const owners = new Map<string, Set<string>>();
  const cuts: string[] = [];
  const dnames: string[] = [];
  const below = (owner: string, above: string) => owner !== above && owner.endsWith(`.${above}`);
  for (let i = 0; i < 9; i++) {
    const depth = 1 + draw(3);
    const labels = Array.from({ length: depth }, (_, at) => LABELS[draw(at === 0 ? LABELS.length : LABELS.length - 1)] as string);
    const owner = labels.join(".");
    const type = (["A", "TXT", "TXT", "A", "CNAME", "DNAME", "NS", "MX"] as const)[draw(8)] as string;
    const there = owners.get(owner) ?? new Set<string>();
    // What the standards forbid: an alias beside anything, anything below a DNAME or cut, a wildcard that is a cut or a DNAME.
    if (there.has("CNAME") || (type === "CNAME" && there.size > 0)) continue;
    if (there.has("NS") || (type === "NS" && there.size > 0)) continue;
    if ((type === "NS" || type === "DNAME") && labels.includes("*")) continue;
    if ([...cuts, ...dnames].some((above) => below(owner, above))) continue;
    if ((type === "NS" || type === "DNAME") && [...owners.keys()].some((other) => below(other, owner))) continue;
    if (there.has(type)) continue;
    const target = draw(4) === 0 ? "away.elsewhere.example." : [LABELS[draw(3)], LABELS[draw(3)]].slice(0, 1 + draw(2)).join(".");
    lines.push({
      owner,
      type,
      data:
        {
          A: `192.0.2.${i + 1}`,
          TXT: `"t${i}"`,
          MX: `10 mx${i}.elsewhere.example.`,
          NS: "ns.elsewhere.example.",
          CNAME: target,
          DNAME: target,
        }[type] ?? "",
    });
    owners.set(owner, there.add(type));
    if (type === "NS") cuts.push(owner);
    if (type === "DNAME") dnames.push(owner);
  }
  return lines;
}

const ASKED = [
  "",
  "a",
  "b",
  "www",
  "*",
  "x",
  ...LABELS.flatMap((top) => ["a", "b", "x", "*"].map((label) => `${label}.${top}`)),
  "x.a.b",
  "a.b.www",
  "x.*.a",
  "a.x.b",
];

type Said = string;

/**
 * What RFC 1034 section 4.3.2, RFC 4592 and RFC 6672 say, read as plainly as can be: for this test alone, over the lines as they are.
 */
function plainly(lines: readonly Line[], apex: string, asked: string, type: string, links = 0): Said {
  const full = (owner: string) => (owner === "" ? apex : `${owner}.${apex}`);
  const all = lines.map((line) => ({
    ...line,
    owner: full(line.owner),
    data: /\.$|^"|^\d/.test(line.data) ? line.data : `${line.data}.${apex}`,
  }));
  const at = (owner: string, kind: string) => all.filter((line) => line.owner === owner && line.type === kind);
  const isAtOrBelow = (of: string, above: string) => of === above || of.endsWith(`.${above}`);
  const exists = (of: string) => of === apex || all.some((line) => isAtOrBelow(line.owner, of));
  if (links > 12) return "loop";
  if (!isAtOrBelow(asked, apex)) return `outside ${asked}`;
  const labels = asked === apex ? [] : asked.slice(0, -apex.length - 1).split(".");
  const follow = (target: string): Said => `${asked}>${plainly(lines, apex, target, type, links + 1)}`;
  // From the apex down.
  for (let i = labels.length - 1; i >= 0; i--) {
    const here = [...labels.slice(i), apex].join(".");
    if (at(here, "NS").length > 0) return `delegated ${here}`;
    const [dname] = i > 0 ? at(here, "DNAME") : [];
    if (dname !== undefined) {
      const target = [...labels.slice(0, i), dname.data].join(".");
      return type === "CNAME" ? `found ${target}` : follow(target);
    }
  }
  const answer = (owner: string): Said => {
    const found = at(owner, type);
    if (found.length > 0)
      return `found ${found
        .map((line) => line.data)
        .sort()
        .join()}`;
    const [alias] = at(owner, "CNAME");
    return alias === undefined ? "nodata" : follow(alias.data);
  };
  if (exists(asked)) return answer(asked);
  for (let i = 1; i <= labels.length; i++) {
    const encloser = [...labels.slice(i), apex].join(".");
    if (!exists(encloser)) continue;
    return exists(`*.${encloser}`) ? answer(`*.${encloser}`) : "nxdomain";
  }
  return "nxdomain";
}

const shown = (set: RecordSet): string =>
  set.data
    .map((data) => printData(set.type, data))
    .sort()
    .join();
/** An answer in the words of the plain reading. */
function said(answer: Answer, asked: string): Said {
  const links = answer.chain.map((link) => `${link.name}>`).join("");
  const last = answer.chain.at(-1)?.data[0]?.target ?? asked;
  if (answer.kind === "found") return `${links}found ${shown(answer.set)}`;
  if (answer.kind !== "failed") return `${links}${answer.kind}`;
  if (answer.why === "loop") return "loop";
  if (answer.delegation !== undefined) return `${links}delegated ${answer.delegation.ns.name}`;
  return `${links}outside ${last}`;
}
/** What stands at a name, without what only one of the views can know. */
const standing = (live: Live): string =>
  live.kind === "failed"
    ? `failed ${live.answer.why === "loop" ? "loop" : "outside"}`
    : live.kind === "nothing"
      ? "nothing"
      : `${live.kind} ${shown(live.set)}${live.kind === "wildcard" ? ` ${live.wildcard}` : live.kind === "dname" ? ` ${live.dname.name}` : ""}`;

const ZONES = 60;
const worlds = Array.from({ length: ZONES }, (_, i) => {
  const apex = name(`w${i}.worlds.example`);
  const lines = zoneLines(drawn(i + 1));
  const text = `$ORIGIN ${apex}\n$TTL 60\n@ SOA ns h 1 60 60 600 60\n@ NS ns.elsewhere.example.\n${lines.map(({ owner, type, data }) => `${owner} ${type} ${data}`).join("\n")}\n`;
  const document = readZone(text);
  if (document.issues.length > 0) throw new Error(`${text}\n${JSON.stringify(document.issues)}`);
  return { apex, lines, text, zones: zonesOf(document) as readonly Zone[] };
});

test.each(worlds.map((world) => [world.apex, world] as const))(
  "%s: the file says what the standards say",
  (apex, { lines, zones }) => {
    for (const label of ASKED)
      for (const type of TYPES) {
        const asked = label === "" ? apex : name(label, apex);
        const read = said(answerFromZones(zones, asked, type), asked);
        const plain = plainly(lines, apex, asked, type);
        // Where a chain ends in a circle, how far it was followed is nobody's business.
        expect([asked, type, /loop$/.test(plain) ? "loop" : read.replace(/^.*>loop$/, "loop")]).toEqual([
          asked,
          type,
          /loop$/.test(plain) ? read.replace(/^.*loop$/, "loop") : plain,
        ]);
      }
  },
);

describeServers("the same zones at real servers", () => {
  const folder = mkdtempSync(join(tmpdir(), "zandrel-worlds-"));
  const places = { knotd: "127.53.9.1", named: "127.0.0.1" } as const;
  let port = 0;
  let client: DnsClient;
  beforeAll(async () => {
    port = await freePort();
    for (const { apex, text } of worlds) writeFileSync(join(folder, `${apex}zone`), text);
    const zones = Object.fromEntries(worlds.map(({ apex }) => [apex, `${apex}zone`]));
    startKnot(folder, { listen: `${places.knotd}@${port}`, zones });
    startNamed(folder, { address: places.named, port, zones });
    for (const address of Object.values(places)) await answers(address, port, worlds.at(-1)?.apex ?? "", "SOA");
    client = new DnsClient({ timeout: 20_000 });
  });
  afterAll(() => {
    client?.close();
    stopServers();
    rmSync(folder, { recursive: true, force: true });
  });

  test.each(Object.keys(places) as (keyof typeof places)[])(
    "%s answers as the file does, and what stands at a name is the same",
    async (server) => {
      const real: Lookup = client.at({ address: places[server], port }, { recursive: false });
      const differing: unknown[] = [];
      for (const { apex, zones, lines } of worlds) {
        const file = zoneLookup(zones);
        await Promise.all(
          ASKED.flatMap((label) =>
            TYPES.map(async (type) => {
              const asked: DomainName = label === "" ? apex : name(label, apex);
              const plain = plainly(lines, apex, asked, type);
              if (/loop$/.test(plain)) return;
              const theirs = said(await real.ask(asked, type), asked);
              if (theirs !== plain) differing.push([apex, asked, type, { theirs, plain }]);
              const [there, here] = [
                standing(await liveAt(real, apex, asked, type)),
                standing(await liveAt(file, apex, asked, type)),
              ];
              if (there !== here) differing.push([apex, asked, type, { there, here }]);
            }),
          ),
        );
      }
      expect(differing).toEqual([]);
    },
  );
});
