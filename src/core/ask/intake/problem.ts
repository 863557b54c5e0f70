import type { Clause } from "../../clause/index.ts";
import type { DomainName } from "../../name/index.ts";

/** Why something of a paste cannot be saved; a stable code with what it is about. `row` counts the records from 1. */
export type IntakeProblem = { readonly row: number } & (
  | { readonly code: "ellipsis" | "hidden" | "placeholder" | "picture" | "words"; readonly text: string }
  | { readonly code: "host-invalid" | "mixed-script" | "other-domain"; readonly host: string }
  | { readonly code: "verifies-other-domain"; readonly domain: string }
  | { readonly code: "no-value"; readonly type: string; readonly host: string }
  | { readonly code: "no-port"; readonly text: string }
  | { readonly code: "no-host" | "not-a-type" | "priority-invalid" | "ttl-invalid"; readonly text: string }
  | { readonly code: "number-differs"; readonly field: string; readonly given: string; readonly found: string }
  | {
      readonly code: "value-invalid";
      readonly type: string;
      readonly name: DomainName;
      readonly found: string;
      readonly expected: Clause;
    }
  | { readonly code: "key-broken"; readonly name: DomainName; readonly why: Clause }
  | {
      readonly code: "policy-broken";
      readonly name: DomainName;
      readonly standard: "SPF" | "DMARC";
      readonly why: Clause;
      /** What may have been meant: the record, or a term of it. */
      readonly meant: string | undefined;
    }
  /** What no page asks for, so that it was read wrongly. */
  | {
      readonly code: "read-wrong";
      readonly name: DomainName;
      readonly type: string;
      readonly why: "two-aliases" | "value-is-domain" | "value-is-label" | "alias-of-domain";
    }
  | { readonly code: "example-only" | "nothing" }
  | { readonly code: "too-many-lines"; readonly lines: number }
);

/** Two readings of a paste are possible; the person has to say which is meant. */
export interface IntakeQuestion {
  /** What `--choose` names it by. */
  readonly id: string;
  readonly kind: "host-inside" | "host-which" | "type" | "target" | "options" | "readings";
  /** What it is about: a host, a target, a value. */
  readonly about: string;
  readonly choices: readonly { readonly key: string; readonly means: string }[];
}
