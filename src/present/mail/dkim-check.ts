import type { DkimCheckResult } from "../../app/mail/dkim-check.ts";
import { displayName } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { count, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link dkimCheck} for people. */
export function dkimCheckText({ domain, keys, usualTried, usualUnknown }: DkimCheckResult, { style, width }: Layout): string {
  const blocks = keys.map(({ selector, state, alias, type, bits, remarks }) => {
    const paint =
      state === "usable"
        ? style.good("✓ usable")
        : state === "unknown"
          ? style.careful("? could not be asked")
          : style.bad(state === "absent" ? "✗ not there" : "✗ broken");
    const what = type === null ? "" : `  ${type === "rsa" ? `RSA${bits === null ? "" : `, ${bits} bits`}` : "Ed25519"}`;
    const via = alias === null ? "" : `  by an alias to ${visible(displayName(alias))}`;
    return [
      `${style.strong(selector.padEnd(10))} ${paint}${what}${via}`,
      ...remarks.map(
        (remark) =>
          `           ${remark.breaks ? style.bad("!") : style.careful("·")} ${wrap(visible(inWords(remark.because)), width - 13, "             ")}`,
      ),
    ].join("\n");
  });
  const none =
    keys.length > 0
      ? []
      : usualUnknown > 0
        ? [
            style.careful(
              "Whether there is a DKIM key could not be found out. Try again, or name the selector behind the domain.",
            ),
          ]
        : ["No DKIM key was found: no selector is known, and none of the usual ones holds a key."];
  const unknown = usualUnknown === 0 ? [] : [style.careful(`${count(usualUnknown, "usual selector")} could not be asked for.`)];
  const tail =
    usualTried === 0
      ? []
      : [
          style.quiet(
            `${count(usualTried, "usual selector")} hold nothing. A service may use another one: its page says which; name it behind the domain.`,
          ),
        ];
  return `${[style.title(`DKIM keys of ${displayName(domain)}`), ...blocks, ...none, ...unknown, ...tail].join("\n")}\n`;
}
