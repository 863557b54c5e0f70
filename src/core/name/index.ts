/**
 * Domain names as immutable values.
 *
 * ```ts
 * const www = name("www.Brackwater.example");      // "www.brackwater.example."
 * parseName("www", name("brackwater.example"));    // { ok: true, value: "www.brackwater.example." }
 * parseName("a..b");                               // { ok: false, error: { code: "empty-label", at: 2, ... } }
 * isBelow(www, name("brackwater.example"));        // true
 * relativeText(www, name("brackwater.example"));   // "www"
 * readMailDomain("mail.b\\.example");              // an error: in mail a backslash escapes nothing
 * displayName(name("bücher.example"));             // "bücher.example (xn--bcher-kva.example)"
 * ```
 */
export * from "./domain-name.ts";
export * from "./mail-domain.ts";
export * from "./meant-name.ts";
