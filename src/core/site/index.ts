/**
 * Where the names of a site lead, judged from what was fetched.
 *
 * ```ts
 * judgeRedirect("http://puppetfest.example/a?b=1", chain, "brackwater.example");
 * // { id: "redirect", holds: false, because: "the redirect … is temporary (302) …", remedy: "make it permanent …" }
 * await mayIssue(lookup, name("brackwater.example"), "sealbarrow.example");   // { kind: "allowed" } …
 * judgeProof({ kind: "meta", url, name: "seekmere-site", content: "4f1d" }, fetched);
 * ```
 */
export * from "./caa.ts";
export * from "./judge.ts";
export * from "./pair.ts";
export * from "./proof.ts";
