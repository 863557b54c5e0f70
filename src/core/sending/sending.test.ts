import { describe, expect, test } from "@jest/globals";
import { Validator } from "@seriousme/openapi-schema-validator";
import fc from "fast-check";
import { allInWords, inWords } from "../../present/clauses/index.ts";
import { clause } from "../clause/index.ts";
import {
  type DayOfEvents,
  type EnhancedStatus,
  enhancedStatus,
  eventBatch,
  judgeEvents,
  noEvents,
  OPERATIONS,
  openApi,
} from "./index.ts";

describe("enhanced status codes (RFC 3463)", () => {
  test.each<[string, string, string, RegExp | undefined]>([
    ["550 5.1.1 no such user", "5.1.1", "refused for good: there is no such mailbox at that domain", /check the address/],
    ["452 4.2.2 mailbox full", "4.2.2", "not now: the mailbox is full", /wait/],
    ["552 5.2.2 mailbox full", "5.2.2", "refused for good: the mailbox is full", /send it again later/],
    ["250 2.0.0 ok", "2.0.0", "the message was accepted", undefined],
    ["250-2.1.5 recipient fine", "2.1.5", "accepted: the recipient's address is valid", undefined],
    ["250 2.6.0 queued", "2.6.0", "the message was accepted", undefined],
    ["250 2.7.99 odd", "2.7.99", "the message was accepted", undefined],
    ["250 2.1.9 relayed", "2.1.9", "accepted: the message was handed to a server that passes it on without reports", undefined],
    ["535 5.7.8 bad password", "5.7.8", "refused for good: the user name or the password is not accepted", /credential/],
    ["550 5.7.26 unauthenticated", "5.7.26", expect.stringContaining("not authenticated") as unknown as string, /message judge/],
    ["554 5.7.99 house rules", "5.7.99", "refused for good: the receiver's rules or protections refused it", undefined],
    ["554 5.9.1 odd", "5.9.1", "refused for good: the server gives a reason of its own", undefined],
    ["smtp; 550 5.1.10 null MX", "5.1.10", expect.stringContaining("takes no mail at all") as unknown as string, /off the list/],
    ["550-5.4.1 first\n550 5.4.1 second", "5.4.1", "refused for good: the receiving server does not answer", /later/],
  ])("%s", (reply, code, meaning, remedy) => {
    const status = enhancedStatus(reply);
    expect(allInWords(status)).toMatchObject({ code, class: Number(code[0]) });
    const said = (what: "status-code" | "status-code-mend") => inWords(clause(what, status as EnhancedStatus));
    expect(allInWords(said("status-code"))).toEqual(meaning);
    expect(allInWords(said("status-code-mend"))).toMatch(remedy ?? /^$/);
  });
  test.each(["250 ok", "550 no such user", "220 mail 10.5.1.1 ready", "550 6.1.1 odd class", "version 5.1", "5.1.1234", ""])(
    "%j has none",
    (reply) => expect(enhancedStatus(reply)).toBeUndefined(),
  );
  test("every class, subject and detail is said in words", () => {
    fc.assert(
      fc.property(fc.constantFrom(2, 4, 5), fc.nat(999), fc.nat(999), (a, b, c) => {
        const status = enhancedStatus(`${a}50 ${a}.${b}.${c} words`);
        expect(allInWords(status?.code)).toBe(`${a}.${b}.${c}`);
        expect(allInWords(inWords(clause("status-code", status as EnhancedStatus)))).toMatch(
          /^(?:the message was accepted$|(?:accepted|not now|refused for good): (?:[a-z]|[A-Z]{2}).{8})/,
        );
      }),
    );
  });
});

describe("warnings about a window of days", () => {
  const day = (counts: Partial<DayOfEvents["counts"]>, service = "swiftquill"): DayOfEvents => ({
    day: 20_514,
    service,
    domain: "brackwater.example",
    counts: { ...noEvents(), ...counts },
  });
  test.each<[string, Partial<DayOfEvents["counts"]>, string[]]>([
    ["a good day", { arrived: 1000, returned: 5, reported: 1 }, []],
    ["exactly at the limits", { arrived: 980, returned: 20, reported: 0 }, []],
    ["a little over for bounces", { arrived: 970, returned: 30 }, ["bounces careful"]],
    ["far over for bounces", { arrived: 900, returned: 100 }, ["bounces severe"]],
    ["complaints", { arrived: 1000, reported: 2 }, ["complaints careful"]],
    ["many complaints", { arrived: 1000, reported: 10 }, ["complaints severe"]],
    ["both", { arrived: 100, returned: 50, reported: 50 }, ["bounces severe", "complaints severe"]],
    ["too few messages to say", { arrived: 8, returned: 8 }, []],
    ["one bounce is nobody's fault", { arrived: 100, returned: 1 }, []],
    ["complaints about mail of the days before", { reported: 130 }, ["complaints severe"]],
    ["nothing at all", {}, []],
  ])("%s", (_, counts, expected) => {
    expect(
      allInWords(judgeEvents([day(counts)]).warnings.map((one) => `${one.kind} ${one.severe ? "severe" : "careful"}`)),
    ).toEqual(expected);
  });
  test("says share and limit for people", () => {
    const mixed = [
      day({ arrived: 60, returned: 1 }),
      day({ arrived: 60, returned: 5 }),
      day({ arrived: 9, returned: 9 }, "heronpost"),
    ];
    expect(allInWords(judgeEvents(mixed))).toMatchObject({
      warnings: [{ service: "swiftquill", because: expect.stringMatching(/^4\.8 % of 126 messages came back/) }],
      tooFew: [{ service: "heronpost", messages: 18 }],
    });
    expect(allInWords(judgeEvents([day({ arrived: 970, returned: 30 })]).warnings[0]?.because)).toBe(
      "3 % of 1,000 messages came back, the usual limit is 2 %",
    );
    expect(allInWords(judgeEvents([day({ arrived: 2000, reported: 3 })]).warnings[0]?.because)).toMatch(
      /^0\.15 % of 2,000 .* is 0\.1 %$/,
    );
  });
});

describe("the contract of the service link", () => {
  test("is a valid OpenAPI 3.1 document, with every operation once", async () => {
    const document = openApi() as { paths: Record<string, Record<string, { operationId: string }>> };
    const checked = await new Validator().validate(structuredClone(document) as unknown as Record<string, unknown>);
    expect(allInWords(checked.errors ?? [])).toEqual([]);
    expect(allInWords(checked.valid)).toBe(true);
    const ids = Object.values(document.paths).flatMap((path) => Object.values(path).map((one) => one.operationId));
    expect(allInWords(ids.sort())).toEqual(Object.keys(OPERATIONS).sort());
  });
  const event = {
    id: "e1",
    kind: "returned",
    at: "2026-03-02T09:00:00Z",
    messageId: "m@brackwater.example",
    domain: "brackwater.example",
    to: "probe@mallowmail.example",
  };
  test.each<[string, unknown, boolean]>([
    ["a batch", { version: 1, events: [event] }, true],
    ["of a version to come", { version: 2, events: [event] }, false],
    ["without an event", { version: 1, events: [] }, false],
    ["with too many", { version: 1, events: Array(1001).fill(event) }, false],
    ["of a kind nobody knows", { version: 1, events: [{ ...event, kind: "vanished" }] }, false],
    ["without an id", { version: 1, events: [{ ...event, id: "" }] }, false],
    ["at no time", { version: 1, events: [{ ...event, at: "yesterday" }] }, false],
    ["with a key to come", { version: 1, events: [{ ...event, colour: "red" }] }, true],
  ])("%s", (_, batch, good) => expect(allInWords(eventBatch.safeParse(batch).success)).toBe(good));
});
