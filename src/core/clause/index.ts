/**
 * What there is to say about something found, as a code with what its words need. The words are in `present/clauses`.
 *
 * ```ts
 * clause("spf-none", { domain: "brackwater.example" });
 * // { clause: "spf-none", domain: "brackwater.example" }, in words: “brackwater.example has no SPF record”
 * ```
 */
export { type Clause, type Clauses, clause, NOTHING, type Nothing, verbatim } from "./clause.ts";
export { clauseOfIssue, expects, issueOf } from "./issue.ts";
