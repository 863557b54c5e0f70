import { rule, when } from "../finding.ts";

const PRIVATE = /^(10\.|192\.168\.|172\.(1[6-9]|2\d|3[01])\.|169\.254\.|f[cd][0-9a-f]{2}:|fe80:)/i;

export const mailIn = {
  "mx-missing": rule("risks", "RFC 5321 section 5.1", ({ mx, sends }) =>
    when(sends && (mx.answer.kind === "nodata" || mx.answer.kind === "nxdomain")),
  ),
  "mx-alias": rule("breaks", "RFC 2181 section 10.3", ({ exchanges }) =>
    exchanges.flatMap(({ name, alias }) => (alias === undefined ? [] : when(true, { name, alias }))),
  ),
  "mx-no-address": rule("breaks", "RFC 5321 section 5.1", ({ exchanges }) =>
    exchanges.flatMap(({ name, hasNone, alias }) => when(hasNone && alias === undefined, { name })),
  ),
  "mx-address": rule("breaks", "RFC 1035 section 3.3.9", ({ exchanges }) =>
    exchanges.flatMap(({ name }) => when(/^\d+\.\d+\.\d+\.\d+\.?/.test(name), { name })),
  ),
  "mx-private": rule("risks", "RFC 1918 section 3", ({ exchanges }) =>
    exchanges.flatMap(({ name, addresses }) =>
      addresses.filter((candidate) => PRIVATE.test(candidate)).map((one) => ({ name, address: one })),
    ),
  ),
  "mx-single": rule("note", "RFC 5321 section 5.1", ({ exchanges, domain }) =>
    when(exchanges.length === 1 && exchanges[0]?.addresses.length === 1, { name: exchanges[0]?.name ?? domain }),
  ),
  "mx-null-beside": rule("breaks", "RFC 7505 section 3", ({ mx, exchanges }) =>
    when(mx.data.some((candidate) => candidate.exchange === ".") && exchanges.length > 0, {
      exchanges: exchanges.map(({ name }) => name),
    }),
  ),
  "mx-null-sends": rule("risks", "RFC 7505 section 4.2", ({ mx, exchanges, role }) =>
    when(
      (role === "sending" || role === "main") &&
        exchanges.length === 0 &&
        mx.data.some((candidate) => candidate.exchange === "."),
    ),
  ),
  "mx-twice": rule("untidy", "RFC 5321 section 5.1", ({ exchanges }) => {
    const names = exchanges.map(({ name }) => name);
    return [...new Set(names.filter((name, i) => names.indexOf(name) !== i))].map((name) => ({ name }));
  }),
} as const;
