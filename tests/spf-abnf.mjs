/**
 * A second reading of SPF records, for fuzzing only: the ABNF of RFC 7208 section 12 rule by rule,
 * with every way to match tried. It is slow on purpose and shares nothing with the reader of the program.
 */
import { isIPv4, isIPv6 } from "node:net";

/** A rule gives back every place at which it can end, from a place in the text. */
const lit = (word) => (text, at) =>
  text.slice(at, at + word.length).toLowerCase() === word.toLowerCase() ? [at + word.length] : [];
const one = (test) => (text, at) => (at < text.length && test(text[at]) ? [at + 1] : []);
const seq =
  (...rules) =>
  (text, at) =>
    rules.reduce((ends, rule) => [...new Set(ends.flatMap((end) => rule(text, end)))], [at]);
const alt =
  (...rules) =>
  (text, at) => [...new Set(rules.flatMap((rule) => rule(text, at)))];
const opt = (rule) => (text, at) => [...new Set([at, ...rule(text, at)])];
const rep =
  (rule, least = 0, most = Number.POSITIVE_INFINITY) =>
  (text, at) => {
    const ends = new Set(least === 0 ? [at] : []);
    let from = [at];
    for (let times = 1; times <= most && from.length > 0; times++) {
      from = [...new Set(from.flatMap((end) => rule(text, end)))].filter((end) => !ends.has(end) || times < least);
      if (times >= least) for (const end of from) ends.add(end);
    }
    return [...ends];
  };

const DIGIT = one((c) => c >= "0" && c <= "9");
const ALPHA = one((c) => /[a-z]/i.test(c));
const alphanum = alt(ALPHA, DIGIT);

// Macros (section 7.1); a number of labels is not zero, and c, r and t stand in explanations only.
const number = (text, at) => rep(DIGIT)(text, at).filter((end) => end === at || Number(text.slice(at, end)) > 0);
const transformers = seq(number, opt(lit("r")));
const delimiter = one((c) => ".-+,/_=".includes(c));
const macro = (letters) =>
  seq(
    lit("%{"),
    one((c) => letters.includes(c.toLowerCase())),
    transformers,
    rep(delimiter),
    lit("}"),
  );
const expandOf = (letters) => alt(macro(letters), lit("%%"), lit("%_"), lit("%-"));
const literal = one((c) => (c >= "!" && c <= "$") || (c >= "&" && c <= "~"));
const macroString = rep(alt(expandOf("slodiphvcrt"), literal));

const ldh = rep(alt(alphanum, lit("-")));
const toplabel = alt(seq(rep(alphanum), ALPHA, rep(alphanum)), seq(rep(alphanum, 1), lit("-"), ldh, alphanum));
const domainEnd = alt(seq(lit("."), toplabel, opt(lit("."))), expandOf("slodiphv"));
const domainSpec = seq(rep(alt(expandOf("slodiphv"), literal)), domainEnd);

const upTo = (most) => (text, at) =>
  rep(DIGIT, 1, 3)(text, at).filter((end) => /^(0|[1-9]\d*)$/.test(text.slice(at, end)) && Number(text.slice(at, end)) <= most);
const cidr4 = seq(lit("/"), upTo(32));
const cidr6 = seq(lit("/"), upTo(128));
const dualCidr = alt(seq(opt(cidr4), lit("/"), cidr6), cidr4, (_, at) => [at]);

const address = (is) => (text, at) => {
  const ends = [];
  for (let end = at + 1; end <= text.length && !" /".includes(text[end - 1]); end++) if (is(text.slice(at, end))) ends.push(end);
  return ends;
};
const spec = seq(lit(":"), domainSpec);
const mechanism = alt(
  lit("all"),
  seq(lit("include"), spec),
  seq(lit("a"), opt(spec), dualCidr),
  seq(lit("mx"), opt(spec), dualCidr),
  seq(lit("ptr"), opt(spec)),
  seq(lit("ip4:"), address(isIPv4), opt(cidr4)),
  seq(
    lit("ip6:"),
    address((given) => isIPv6(given) && !given.includes("%")),
    opt(cidr6),
  ),
  seq(lit("exists"), spec),
);
const directive = seq(opt(one((c) => "+-?~".includes(c))), mechanism);
const name = seq(
  ALPHA,
  rep(
    alt(
      alphanum,
      one((c) => "-_.".includes(c)),
    ),
  ),
);
const modifier = (text, at) => {
  const key = /^[a-z][a-z0-9_.-]*(?==)/i.exec(text.slice(at))?.[0].toLowerCase();
  if (key === undefined) return [];
  return key === "redirect" || key === "exp"
    ? seq(lit(`${key}=`), domainSpec)(text, at)
    : seq(name, lit("="), macroString)(text, at);
};
const whole = (rule, text) => rule(text, 0).includes(text.length);

/** Whether a text is an SPF record that obeys the grammar; `redirect` and `exp` stand once at most (section 6). */
export function obeysAbnf(text) {
  if (!/^v=spf1( |$)/i.test(text)) return false;
  const words = text
    .slice(6)
    .split(" ")
    .filter((word) => word !== "");
  const keys = words.map((word) => /^(redirect|exp)=/i.exec(word)?.[1].toLowerCase()).filter((key) => key !== undefined);
  return new Set(keys).size === keys.length && words.every((word) => whole(alt(directive, modifier), word));
}
