import { describe, expect, test } from "@jest/globals";
import { type DomainName, name } from "../name/index.ts";
import type { RecordType } from "../record/index.ts";
import { readZone, zonesOf } from "../zone/index.ts";
import { type Answer, atOwnServers, type Lookup, onward, type Servers, zoneLookup } from "./index.ts";

const zone = (apex: string, text: string): Lookup =>
  zoneLookup(zonesOf(readZone(`$ORIGIN ${apex}\n$TTL 60\n@ SOA a. b. 1 7200 900 1209600 900\n@ NS ns.${apex}\n${text}\n`)));

/** Name servers by their addresses, each with its own zones only, and a resolver that finds them by the longest zone. */
const ZONES: Readonly<Record<string, string>> = {
  "example.":
    "brackwater NS ns.brackwater\nns.brackwater A 192.0.2.1\npagewick NS ns.pagewick\nns.pagewick A 192.0.2.2\nmute NS ns.mute\nns.mute A 192.0.2.9",
  "brackwater.example.":
    "ns A 192.0.2.1\nwww CNAME sites.pagewick.example.\nround CNAME back.pagewick.example.\nlost CNAME nothing.pagewick.example.\nquiet CNAME box.mute.example.\nproof TXT own",
  "pagewick.example.":
    'ns A 192.0.2.2\nsites CNAME house.pagewick.example.\nhouse A 203.0.113.9\nhouse TXT "here"\nback CNAME round.brackwater.example.',
};
const AT: Readonly<Record<string, string>> = {
  "192.0.2.1": "brackwater.example.",
  "192.0.2.2": "pagewick.example.",
  "192.0.2.0": "example.",
};
const SILENT: Answer = {
  kind: "failed",
  why: "timeout",
  detail: { clause: "nothing" } as never,
  chain: [],
  authoritative: false,
};

function world() {
  const asked: string[] = [];
  const lookups = new Map(Object.entries(ZONES).map(([apex, text]) => [apex, zone(apex, text)]));
  const servers: Servers = {
    at: (address) => ({
      ask: async (of: DomainName, type: RecordType) => {
        asked.push(`${address} ${of} ${type}`);
        return AT[address] === undefined ? SILENT : (lookups.get(AT[address]) as Lookup).ask(of, type);
      },
    }),
  };
  const whole = zoneLookup(
    zonesOf(
      readZone(
        `$TTL 60\n. SOA a. b. 1 1 1 1 1\nexample. NS ns.nic.\nns.nic. A 192.0.2.0\n${Object.entries(ZONES)
          .map(
            ([apex, text]) =>
              `$ORIGIN ${apex}\n${apex === "example." ? text : `@ SOA a. b. 1 7200 900 1209600 900\n@ NS ns.${apex}\n${text}`}`,
          )
          .join("\n")}\n`,
      ),
    ),
  );
  const resolver: Lookup = {
    ask: async (of, type) =>
      of.endsWith("mute.example.") && type !== "NS" && !of.startsWith("ns.") ? SILENT : whole.ask(of, type),
  };
  const beyond = atOwnServers(resolver, servers);
  const own = onward(servers.at("192.0.2.1", { recursive: false }), beyond);
  return { own, asked };
}

describe("an alias that leads out of its server's zones (RFC 1034 sections 3.6.2 and 5.2.2)", () => {
  test("is followed at its target's own servers, and on from there", async () => {
    const { own } = world();
    const answer = await own.ask(name("www.brackwater.example"), "A");
    expect(answer).toMatchObject({ kind: "found", set: { name: "house.pagewick.example." } });
    expect(answer.chain.map((link) => link.name)).toEqual(["www.brackwater.example.", "sites.pagewick.example."]);
  });
  test("is asked once for all who need it", async () => {
    const { own, asked } = world();
    await Promise.all([1, 2, 3].map(() => own.ask(name("www.brackwater.example"), "TXT")));
    expect(asked.filter((line) => line === "192.0.2.2 sites.pagewick.example. TXT")).toHaveLength(1);
  });
  test("to a name that is not there says so of the name", async () =>
    expect(await world().own.ask(name("lost.brackwater.example"), "A")).toMatchObject({ kind: "nxdomain" }));
  test("in a circle is named with every name of it", async () => {
    const answer = await world().own.ask(name("round.brackwater.example"), "A");
    expect(answer).toMatchObject({ kind: "failed", why: "loop" });
    expect(JSON.stringify(answer)).toContain("back.pagewick.example.");
  });
  test("to servers that are silent could not be asked, and the alias is there", async () => {
    const answer = await world().own.ask(name("quiet.brackwater.example"), "A");
    expect(answer).toMatchObject({ kind: "failed", why: "timeout" });
    expect(answer.chain).toHaveLength(1);
  });
  test("what the server holds itself is asked of nobody else", async () => {
    const { own, asked } = world();
    expect(await own.ask(name("proof.brackwater.example"), "TXT")).toMatchObject({ kind: "found" });
    expect(asked).toEqual(["192.0.2.1 proof.brackwater.example. TXT"]);
  });
});
