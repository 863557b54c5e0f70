import type { NextClauses } from "../../core/clause/index.ts";
import { displayName } from "../../core/name/index.ts";
import type { WordsOf } from "./words.ts";

export const NEXT: WordsOf<NextClauses> = {
  "next-prove": ({ ask }) => `zandrel prove ${ask}`,
  "next-draft": ({ domain }) => `zandrel draft ${displayName(domain)}`,
  "next-watch": ({ domain }) => `zandrel watch ${displayName(domain)}`,
  "next-watch-proven": ({ domain }) => `zandrel watch ${displayName(domain)} --until proven`,
  "next-status": ({ domain }) => `zandrel status ${displayName(domain)}`,
  "next-check-sheet": ({ domain }) => `zandrel publish ${displayName(domain)} --check`,
  "next-sender-domain": ({ service, domain }) => `zandrel sender domain ${service} ${displayName(domain)}`,
  "next-sender-domain-confirmed": ({ service, domain }) => `zandrel sender domain ${service} ${displayName(domain)} --confirmed`,
  "next-signing-on": ({ service, domain }) => `zandrel sender domain ${service} ${displayName(domain)} --signing on`,
  "next-sender-address": ({ service, address }) => `zandrel sender address ${service} ${address}`,
  "next-sender-address-confirmed": ({ service, address }) => `zandrel sender address ${service} ${address} --confirmed`,
  "next-sender-address-resend": ({ service, address }) => `zandrel sender address ${service} ${address} --resend`,
  "next-init": ({ domain }) => `zandrel init ${displayName(domain)}`,
  "next-site": ({ domain }) => `zandrel site ${displayName(domain)}`,
  "next-find-host": ({ domain }) => `zandrel host find ${displayName(domain)}`,
  "next-audit": ({ domain }) => `zandrel audit ${displayName(domain)}`,
  "next-explain-spf": ({ domain }) => `zandrel spf explain ${displayName(domain)}`,
  "next-flatten": ({ domain }) => `zandrel spf flatten ${displayName(domain)} --write`,
  "next-explain-dmarc": ({ domain }) => `zandrel dmarc explain ${displayName(domain)}`,
  "next-sources": ({ domain }) => `zandrel dmarc sources ${displayName(domain)}`,
  "next-publish": ({ domain }) => `zandrel publish ${displayName(domain)}`,
  "next-publish-replacing": ({ domain, name }) => `zandrel publish ${displayName(domain)} --replace ${name}`,
  "next-retire": ({ ask }) => `zandrel retire ${ask}`,
  "next-intake": "zandrel intake",
  "next-write-host": ({ domain }) => `zandrel host find ${displayName(domain)} --write`,
  "next-new-key": ({ domain, selector }) => `zandrel dkim new ${displayName(domain)} --selector ${selector}`,
  "next-rotate": ({ domain, from, to, step }) =>
    `zandrel dkim rotate ${displayName(domain)} --old-selector ${from} --new-selector ${to} --${step}`,
  "next-events": ({ service }) => `zandrel sender events ${service}`,
};
