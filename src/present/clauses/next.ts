import type { NextClauses } from "../../core/clause/index.ts";
import { withoutRootDot } from "../../core/name/index.ts";
import type { WordsOf } from "./words.ts";

export const NEXT: WordsOf<NextClauses> = {
  "next-prove": ({ ask }) => `zandrel prove ${ask}`,
  "next-draft": ({ domain }) => `zandrel draft ${withoutRootDot(domain)}`,
  "next-watch": ({ domain }) => `zandrel watch ${withoutRootDot(domain)}`,
  "next-watch-proven": ({ domain }) => `zandrel watch ${withoutRootDot(domain)} --until proven`,
  "next-status": ({ domain }) => `zandrel status ${withoutRootDot(domain)}`,
  "next-check-sheet": ({ domain }) => `zandrel publish ${withoutRootDot(domain)} --check`,
  "next-sender-domain": ({ service, domain }) => `zandrel sender domain ${service} ${withoutRootDot(domain)}`,
  "next-sender-domain-confirmed": ({ service, domain }) =>
    `zandrel sender domain ${service} ${withoutRootDot(domain)} --confirmed`,
  "next-signing-on": ({ service, domain }) => `zandrel sender domain ${service} ${withoutRootDot(domain)} --signing on`,
  "next-sender-address": ({ service, address }) => `zandrel sender address ${service} ${address}`,
  "next-sender-address-confirmed": ({ service, address }) => `zandrel sender address ${service} ${address} --confirmed`,
  "next-sender-address-resend": ({ service, address }) => `zandrel sender address ${service} ${address} --resend`,
  "next-init": ({ domain }) => `zandrel init ${withoutRootDot(domain)}`,
  "next-site": ({ domain }) => `zandrel site ${withoutRootDot(domain)}`,
  "next-find-host": ({ domain }) => `zandrel host find ${withoutRootDot(domain)}`,
  "next-audit": ({ domain }) => `zandrel audit ${withoutRootDot(domain)}`,
  "next-explain-spf": ({ domain }) => `zandrel spf explain ${withoutRootDot(domain)}`,
  "next-flatten": ({ domain }) => `zandrel spf flatten ${withoutRootDot(domain)} --write`,
  "next-explain-dmarc": ({ domain }) => `zandrel dmarc explain ${withoutRootDot(domain)}`,
  "next-sources": ({ domain }) => `zandrel dmarc sources ${withoutRootDot(domain)}`,
  "next-publish": ({ domain }) => `zandrel publish ${withoutRootDot(domain)}`,
  "next-publish-replacing": ({ domain, name }) => `zandrel publish ${withoutRootDot(domain)} --replace ${name}`,
  "next-retire": ({ ask }) => `zandrel retire ${ask}`,
  "next-intake": "zandrel intake",
  "next-write-host": ({ domain }) => `zandrel host find ${withoutRootDot(domain)} --write`,
  "next-new-key": ({ domain, selector }) => `zandrel dkim new ${withoutRootDot(domain)} --selector ${selector}`,
  "next-rotate": ({ domain, from, to, step }) =>
    `zandrel dkim rotate ${withoutRootDot(domain)} --old-selector ${from} --new-selector ${to} --${step}`,
  "next-events": ({ service }) => `zandrel sender events ${service}`,
};
