import type * as z from "zod";
import { type Clause, type Clauses, clause, verbatim } from "./clause.ts";

/** What has to stand at a place of a file, by its code. */
type Form = Clauses["expected-form"]["form"];

/** What a check says where it fails: the code of what is expected there. {@link clauseOfIssue} knows it by its being no sentence. */
export const expects = (form: Form): string => form;

/** A check that failed, in a clause of its own. */
export const issueOf = (said: Clause) => ({ code: "custom", params: said, input: undefined }) as const;

const isCode = (message: string): message is Form => /^[a-z][a-z0-9-]*$/.test(message);

/** What is wrong with a value, as a check of a schema found it. */
export function clauseOfIssue(issue: z.core.$ZodIssue): Clause {
  if (issue.code === "custom" && issue.params !== undefined) return issue.params as unknown as Clause;
  if (isCode(issue.message)) return clause("expected-form", { form: issue.message });
  switch (issue.code) {
    case "unrecognized_keys":
      return clause("expected-no-such-key", { keys: issue.keys });
    case "invalid_value":
      return clause("expected-one-of", { values: issue.values.map(String) });
    case "invalid_union":
      return "discriminator" in issue ? clause("expected-known-value", { at: pathOf(issue) }) : verbatim(issue.message);
    case "invalid_type":
      // A value that is not there has no type either.
      return /received undefined/.test(issue.message)
        ? clause("expected-at", { at: pathOf(issue) })
        : clause("expected-kind", { kind: issue.expected });
    default:
      return verbatim(issue.message);
  }
}

const pathOf = ({ path }: z.core.$ZodIssue): string => path.map(String).join(".");
