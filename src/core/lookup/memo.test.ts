import { expect, test } from "@jest/globals";
import { clause } from "../clause/index.ts";
import { name } from "../name/index.ts";
import { type Answer, AnswerMemo, failed, type Lookup, memoized } from "./index.ts";

const nothing: Answer = { kind: "nodata", chain: [], authoritative: true };

/** A lookup that writes down what it is asked. */
function asked(answer: () => Answer = () => nothing) {
  const questions: string[] = [];
  const lookup: Lookup = {
    async ask(domain, type) {
      questions.push(`${domain} ${type}`);
      return answer();
    },
  };
  return { questions, lookup };
}

const ask = (lookup: Lookup, ...names: string[]) => Promise.all(names.map((one) => lookup.ask(name(one), "TXT")));

test("what was asked about a domain is forgotten with its look, what it shares with others is kept", async () => {
  const { questions, lookup } = asked();
  const answers = new AnswerMemo();
  const memo = memoized(lookup, { answers, name: "near" });
  const look = (domain: string) =>
    answers.during(name(domain), async () => {
      await ask(memo, domain, `_dmarc.${domain}`, "spf.inglemail.example");
      await ask(memo, domain, `_dmarc.${domain}`, "spf.inglemail.example");
    });
  await look("brackwater.example");
  await look("puppetfest.example");
  expect(questions.splice(0)).toEqual([
    "brackwater.example. TXT",
    "_dmarc.brackwater.example. TXT",
    "spf.inglemail.example. TXT",
    "puppetfest.example. TXT",
    "_dmarc.puppetfest.example. TXT",
  ]);
  await look("brackwater.example");
  expect(questions).toEqual(["brackwater.example. TXT", "_dmarc.brackwater.example. TXT"]);
});

test("looks at the same time keep apart what is theirs, also where one domain lies below the other", async () => {
  const { questions, lookup } = asked();
  const answers = new AnswerMemo();
  const memo = memoized(lookup, { answers, name: "near" });
  await answers.during(name("brackwater.example"), async () => {
    await ask(memo, "brackwater.example");
    await answers.during(name("news.brackwater.example"), () => ask(memo, "a.news.brackwater.example", "brackwater.example"));
    expect(questions.splice(0)).toEqual(["brackwater.example. TXT", "a.news.brackwater.example. TXT"]);
    await ask(memo, "brackwater.example", "a.news.brackwater.example");
  });
  expect(questions).toEqual(["a.news.brackwater.example. TXT"]);
});

test("a look that fails forgets, too, and without a look everything is kept", async () => {
  const { questions, lookup } = asked();
  const answers = new AnswerMemo();
  const memo = memoized(lookup, { answers, name: "near" });
  const failing = answers.during(name("brackwater.example"), async () => {
    await ask(memo, "brackwater.example");
    throw new Error("no");
  });
  await expect(failing).rejects.toThrow("no");
  await ask(memo, "brackwater.example");
  await ask(memo, "brackwater.example");
  expect(questions).toHaveLength(2);
});

test("who could not be asked is asked again once failures are forgotten", async () => {
  let answer: Answer = failed("timeout", clause("answer-nobody-asked"));
  const { questions, lookup } = asked(() => answer);
  const answers = new AnswerMemo();
  const memo = memoized(lookup, { answers, name: "near" });
  await ask(memo, "ns1.inglemail.example");
  await ask(memo, "ns1.inglemail.example");
  expect(questions).toHaveLength(1);
  answer = nothing;
  answers.forgetFailures();
  expect(await ask(memo, "ns1.inglemail.example")).toEqual([nothing]);
  answers.forgetFailures();
  await ask(memo, "ns1.inglemail.example");
  expect(questions).toHaveLength(2);
});
