import { readFileSync } from "node:fs";
import { expect, test } from "@jest/globals";
import { parse } from "yaml";
import { name } from "../name/index.ts";
import { readRecords } from "../zone/index.ts";
import { askOfKit, type Kit, kitSchema } from "./index.ts";

const domain = name("brackwater.example");
const kit = (file: string): Kit =>
  kitSchema.parse(parse(readFileSync(new URL(`../../../demo/brackwater/kits/${file}.yaml`, import.meta.url), "utf8")));
const records = (text: string) => readRecords(text, { origin: domain, ttl: 300 }).records;

test.each<[string, string, string | undefined]>([
  ["seekmere", '@ TXT "seekmere-owner=4f1d0c77a2"', "ownership"],
  ["seekmere", '_x TXT "seekmere-owner=4f1d0c77a2"', undefined],
  [
    "heronpost",
    "hpa._domainkey CNAME brackwater.ka.heronpost.example.\nhpb._domainkey CNAME brackwater.kb.heronpost.example.",
    "sending",
  ],
  ["heronpost", "news CNAME click.heronpost.example.", "tracking"],
  ["heronpost", "news CNAME click.heronpost.example.\nwww A 192.0.2.1", undefined],
  ["sealbarrow", "_sb-8c2e CNAME 51c0ffee77aa.proof.sealbarrow.example.", "certificate"],
  ["sealbarrow", "", undefined],
])("the kit of %s, and %j: %s", (file, text, ask) => expect(askOfKit(kit(file), domain, records(text))?.id).toBe(ask));
