import { describe, expect, test } from "@jest/globals";
import { demoHere, useCase } from "../../../tests/use-case.ts";
import { name } from "../../core/name/index.ts";
import type { Settings } from "../../workspace/index.ts";
import { recognise } from "./recognise.ts";

const settings = (nameServers: readonly string[]) =>
  ({
    hosts: { nettlehost: { title: "Nettlehost", nameServers, servers: [], publish: { way: "by-hand" } } },
  }) as unknown as Settings;
const servers = (...names: string[]) => names.map((text) => name(text));

describe("a DNS host is known by its name servers", () => {
  test.each<[string, string[], string[], object | undefined]>([
    [
      "by a pattern",
      ["*.nettlehost.example"],
      ["ns1.nettlehost.example", "ns2.nettlehost.example"],
      { key: "nettlehost", how: "recognised" },
    ],
    [
      "by names, whatever their case",
      ["NS1.nettlehost.example."],
      ["ns1.nettlehost.example"],
      { key: "nettlehost", how: "recognised" },
    ],
    ["not by one of two", ["ns1.nettlehost.example"], ["ns1.nettlehost.example", "ns1.zonemarrow.example"], undefined],
    [
      "a new one is named after them",
      [],
      ["ns1.zonemarrow.example", "ns2.zonemarrow.example"],
      { key: "zonemarrow", title: "Zonemarrow", how: "new" },
    ],
    ["not where its key is taken", ["ns9.nettlehost.example"], ["ns1.nettlehost.example"], undefined],
    ["nobody where there are none", ["*.nettlehost.example"], [], undefined],
  ])("%s", (_, patterns, found, expected) => {
    const host = recognise(servers(...found), settings(patterns));
    if (expected === undefined) expect(host).toBeUndefined();
    else expect(host).toMatchObject(expected);
  });
});

test("where nobody answers, who serves a domain is not known", () =>
  expect(
    useCase(demoHere(), "host", "find", "brackwater.example", "--resolver", "127.0.0.1:9", "--timeout", "0.2"),
  ).rejects.toMatchObject({ code: "domain-unseen" }));

test("where there is no grant, none is given back", async () =>
  expect((await useCase(demoHere(), "host", "forget", "nettlehost", "brackwater.example")).result).toMatchObject({
    forgotten: 0,
    kept: 0,
  }));
