import type { IntakeProblem, IntakeQuestion, Leftover } from "./ask/intake/index.ts";
import type { Clause } from "./clause/index.ts";
import type { DomainName } from "./name/index.ts";
import type { RecordSet, ResourceRecord } from "./record/index.ts";

/** A file, line and column, or a place inside a file: what an editor can jump to. */
type Place = string;

/** A word that is not known, beside the words that are. */
interface Unknown {
  readonly given: string;
  readonly known: readonly string[];
}

/** Something that an earlier part of the same run did, for the sentence about a later part that failed. */
interface AfterOthers {
  readonly before: string | undefined;
}

/**
 * Everything that can end a run early, by its code, with what the sentence about it needs. The sentences are in
 * `present/failures.ts`, one a code.
 */
export interface Failures {
  // The command line
  "option-empty": { readonly option: string };
  "option-choice": { readonly option: string; readonly value: string; readonly values: readonly string[] };
  "option-number": {
    readonly option: string;
    readonly value: string;
    readonly min: number;
    readonly max: number | undefined;
    readonly whole: boolean;
  };
  "option-time": { readonly option: string; readonly value: string };
  "option-span": { readonly option: string; readonly value: string };
  "option-twice": { readonly option: string };
  "option-value-missing": { readonly command: string; readonly option: string };
  "option-missing": { readonly option: string; readonly all: readonly string[] };
  "unknown-command": Unknown;
  "unknown-term": Unknown;
  "unknown-option": Unknown & { readonly command: string };
  "subcommand-needed": { readonly command: string; readonly known: readonly string[]; readonly given: string | undefined };
  usage: { readonly command: string; readonly because: string };
  operands: { readonly command: string; readonly operands: string; readonly example: string };
  "no-json": { readonly command: string; readonly because: string };
  "input-too-large": { readonly octets: number };
  "clock-form": Record<never, never>;

  // Names, addresses, days
  "not-a-domain": { readonly given: string; readonly because: Clause };
  "not-a-selector": { readonly given: string };
  "address-form": { readonly given: string };
  "ip-form": { readonly given: string | undefined };
  "day-form": { readonly given: string };
  "day-to-come": { readonly given: string };

  // Files
  "file-unreadable": { readonly path: string; readonly why: string };
  "file-outside": { readonly path: string };
  "file-too-large": { readonly path: string; readonly octets: number };
  "output-not-written": { readonly why: string };
  "cannot-write": { readonly path: string; readonly why: string };
  "file-there": { readonly path: string; readonly what: "key" | "secret" | "capture" | "template" | "dossier" };
  "not-yaml": { readonly at: Place; readonly found: string; readonly because: string };
  "yaml-aliases": { readonly path: string; readonly because: string };
  "yaml-value": { readonly at: Place; readonly found: string; readonly because: Clause };
  "zone-file-line": {
    readonly file: string;
    readonly line: number;
    readonly column: number;
    readonly found: string;
    readonly expected: Clause;
  };
  "list-line": { readonly path: string; readonly line: number; readonly because: string };
  "list-column": { readonly path: string; readonly wanted: string | undefined; readonly known: readonly string[] };
  "list-empty": { readonly path: string; readonly skipped: number; readonly column: string | undefined };
  "unknown-sweep": Unknown;
  "sweeps-apart": { readonly before: string; readonly after: string };
  "journal-away": { readonly place: string; readonly title: string; readonly because: string };
  "journal-not-empty": { readonly place: string };
  "journal-shared": { readonly journal: string };
  "journal-form": Record<never, never>;
  "journal-moved": { readonly title: string };
  "journal-there": { readonly journal: string };
  "queue-form": { readonly option: string };
  "queue-failed": { readonly place: string; readonly because: string };
  "newer-database": { readonly path: string; readonly title: string; readonly version: number };
  "database-broken": { readonly path: string; readonly title: string; readonly because: string; readonly holds: string };
  "variable-there": { readonly path: string; readonly name: string };
  "database-busy": { readonly path: string; readonly title: string };

  // The workspace
  "no-workspace": { readonly folder: string | undefined };
  "needs-workspace": Record<never, never>;
  "no-domain": Record<never, never>;
  "which-domain": { readonly domains: readonly DomainName[] };
  "unknown-domain": { readonly domain: DomainName; readonly known: readonly DomainName[] };
  "domain-twice": { readonly path: string; readonly other: string; readonly domain: DomainName };
  "domain-there": { readonly domain: DomainName };
  "redirect-within": { readonly domain: DomainName; readonly to: DomainName };
  "not-in-workspace": { readonly domain: DomainName };
  "unknown-host": Unknown;
  "host-key": { readonly given: string };
  "host-needs": { readonly way: string; readonly field: "file" | "server" | "keyName" | "secret" | "command" };
  "host-option": { readonly option: string; readonly way: string };
  "host-form": { readonly given: string };
  "host-entry": { readonly found: string; readonly because: Clause };
  "settings-there": { readonly from: string };
  "no-host": { readonly path: string };
  "host-server": { readonly given: string };
  "unknown-key": Unknown & { readonly at: Place; readonly what: string; readonly section: string };
  "id-twice": { readonly at: Place; readonly first: Place; readonly ask: string };
  "ask-records": {
    readonly at: Place;
    readonly ask: string;
    readonly line: number;
    readonly column: number;
    readonly found: string;
    readonly expected: Clause;
  };
  "ask-spf": { readonly at: Place; readonly found: string; readonly because: Clause; readonly meant: string | undefined };
  "ask-after": { readonly at: Place; readonly given: string };
  "variable-not-set": { readonly name: string; readonly what: Clause };
  "secret-empty": { readonly path: string; readonly what: Clause };
  "tsig-base64": { readonly place: string; readonly host: string };

  // Asks and kits
  "unknown-target": Unknown;
  "unknown-ask": Unknown;
  "ask-needed": { readonly known: readonly string[] };
  "ask-in-several": { readonly ask: string; readonly domains: readonly DomainName[] };
  "ask-awaited": { readonly ask: string; readonly waiting: readonly string[]; readonly path: string };
  "ask-gone": { readonly path: string; readonly ask: string };
  "confirm-one-ask": Record<never, never>;
  "guide-needs-terminal": Record<never, never>;
  "init-www": { readonly given: DomainName; readonly domain: DomainName };
  "page-one-domain": Record<never, never>;
  "meant-with-check": Record<never, never>;
  "undo-declined": Record<never, never>;
  "undo-needed": {
    readonly needs: readonly { readonly ask: string | undefined; readonly name: DomainName; readonly type: string }[];
  };
  "confirm-absent": { readonly ask: string; readonly because: Clause };
  "which-purpose": { readonly records: readonly ResourceRecord[]; readonly guess: string };
  /** Services that one paste names, of which none is known to be the one it is from. */
  "several-services": { readonly named: readonly { readonly key: string; readonly title: string }[] };
  /** `offered` is the name of a new service that the paste looks like. */
  "which-service": { readonly known: readonly string[]; readonly offered?: string };
  "unknown-service": Unknown;
  "service-name": { readonly given: string };
  "file-or-value": Record<never, never>;
  "one-file": Record<never, never>;
  "choice-form": { readonly given: string };
  "question-left-open": Record<never, never>;
  "paste-problem": { readonly problem: IntakeProblem };
  "paste-ambiguous": { readonly questions: readonly IntakeQuestion[] };
  "paste-leftover": { readonly leftover: readonly Leftover[] };
  "ask-differs": { readonly ask: string; readonly service: string; readonly name: DomainName; readonly type: string };
  "one-ask-only": { readonly option: "id" | "instead-of"; readonly asks: number };
  "id-form": { readonly given: string };
  "id-taken": { readonly id: string; readonly path: string };
  "input-left-open": Record<never, never>;
  "unknown-kit": Unknown;
  "template-field": { readonly at: string; readonly type: string; readonly field: string; readonly isReserved: boolean };
  "kit-unreachable": { readonly url: string; readonly because: Clause };
  "kit-name-taken": { readonly name: string; readonly url: string };
  "kit-changed": { readonly name: string; readonly url: string; readonly changes: readonly string[] };
  "kit-blank": { readonly path: string; readonly ask: string; readonly blank: string };
  "kit-after": { readonly path: string; readonly ask: string; readonly after: string };
  "kit-input-form": { readonly given: string; readonly inputs: readonly string[] };
  "kit-input-missing": { readonly kit: string; readonly input: string; readonly explain: string };
  "kit-input-malformed": {
    readonly kit: string;
    readonly input: string;
    readonly explain: string;
    readonly example: string | undefined;
  };
  "kit-input-unknown": Unknown & { readonly kit: string };
  "kit-records": { readonly kit: string; readonly ask: string; readonly because: Clause };

  // Looking
  "no-system-resolver": { readonly where: "option" | "machine" | { readonly vantage: string } };
  "not-a-resolver": { readonly where: "option" | "machine" | { readonly vantage: string }; readonly given: string };
  /** `isCertain`: the parent zone says so, and trying again does not help. */
  "domain-unseen": { readonly domain: DomainName; readonly because: Clause; readonly isCertain: boolean };
  "zone-unseen": { readonly because: Clause };
  "no-web-in-files": Record<never, never>;
  "no-server-in-files": Record<never, never>;

  // Publishing
  "publish-unseen": { readonly because: Clause };
  "publish-clash": { readonly domain: DomainName; readonly reasons: readonly Clause[] };
  "zone-changed": AfterOthers & { readonly domain: DomainName; readonly because: Clause };
  "accepted-not-shown": AfterOthers & {
    readonly to: string;
    readonly domain: DomainName;
    readonly done: number;
    readonly of: number;
    readonly differences: readonly string[];
  };
  "publication-unknown": AfterOthers & { readonly domain: DomainName; readonly because: Clause; readonly remedy: Clause };
  "publication-failed": AfterOthers & { readonly domain: DomainName; readonly because: Clause; readonly remedy: Clause };
  "nothing-by-hand": Record<never, never>;
  "sheet-form": { readonly given: string };
  "nothing-to-undo": { readonly domain: DomainName };
  "undo-unseen": { readonly because: Clause };
  "undo-changed": {
    readonly name: DomainName;
    readonly type: string;
    readonly published: RecordSet | undefined;
    readonly now: RecordSet | undefined;
  };
  "retire-unseen": { readonly domain: DomainName };
  "nothing-to-watch": { readonly domains: readonly DomainName[] };
  "no-helper": { readonly domain: DomainName };
  "calendar-without-launch": Record<never, never>;
  "launch-passed": { readonly at: number; readonly now: number };
  "relocate-step": Record<never, never>;
  "new-host": { readonly known: readonly string[] };
  "host-without-servers": { readonly host: string; readonly title: string };
  "grant-broken": { readonly path: string };
  "approval-removes": { readonly title: string; readonly domain: DomainName; readonly sets: readonly RecordSet[] };
  "not-approvable": { readonly title: string; readonly domain: DomainName; readonly because: Clause };
  "nothing-to-approve": { readonly domain: DomainName; readonly host: string };
  /** `kept` names those who were approved just before. */
  "not-approved": {
    readonly title: string;
    readonly provider: string;
    readonly because: Clause;
    readonly kept: readonly string[];
  };
  "between-form": { readonly given: string };
  "history-file": Record<never, never>;
  "host-transfer": Record<never, never>;
  "new-host-unsigned": { readonly title: string; readonly domain: DomainName };
  "new-host-silent": {
    readonly title: string;
    readonly domain: DomainName;
    readonly because: Clause;
    /** Whether it says that it does not have the zone, and not just nothing. */
    readonly refused: boolean;
  };

  // Mail records
  "spf-term": { readonly found: string; readonly because: Clause; readonly meant: string | undefined };
  "spf-unseen": { readonly domain: string; readonly because: Clause };
  "spf-unusable": { readonly because: Clause };
  "spf-none": { readonly domain: string };
  "flatten-include": Record<never, never>;
  "cannot-flatten": { readonly term: string; readonly because: Clause };
  "dmarc-unseen": { readonly domain: DomainName; readonly because: Clause };
  "key-unseen": { readonly name: DomainName; readonly because: Clause };
  "key-ask-there": { readonly path: string; readonly ask: string };
  "rotation-selectors": Record<never, never>;
  "rotate-no-key": { readonly name: DomainName; readonly selectors: readonly string[] };
  "switch-too-early": { readonly selector: string; readonly name: DomainName; readonly because: Clause };
  "revoke-too-early": { readonly selector: string; readonly until: number | undefined; readonly now: number };
  "not-a-private-key": { readonly path: string };

  // Messages and reports
  canonicalization: Record<never, never>;
  "cannot-sign": { readonly because: Clause };
  "not-a-message": { readonly title: string; readonly because: Clause };
  "length-too-large": { readonly length: number; readonly body: number };
  "no-from": { readonly title: string };
  "other-message": { readonly path: string; readonly messageId: string };
  "is-a-mailbox": Record<never, never>;
  "unknown-message": { readonly given: string };
  "unsubscribe-form": Record<never, never>;
  "unsubscribe-long": { readonly most: number };
  "no-reports": { readonly domain: DomainName | undefined };
  "which-reports": { readonly domains: readonly DomainName[] };

  // Mail services
  "no-smtp-settings": { readonly service: string; readonly title: string };
  "no-link": { readonly title: string };
  "not-offered": { readonly title: string; readonly offer: string | undefined; readonly otherwise: Clause };
  "service-unseen": { readonly title: string; readonly because: Clause };
  "service-refused": { readonly title: string; readonly what: Clause; readonly because: Clause; readonly key: boolean };
  "no-credential": { readonly service: string; readonly title: string };
  "unknown-credential": { readonly given: string; readonly service: string; readonly title: string };
  "as-without-environment": Record<never, never>;
  "two-places": Record<never, never>;
  "variable-name": { readonly given: string };
  "credential-scope": Record<never, never>;
  "credential-one-action": Record<never, never>;
  "keep-without-user": Record<never, never>;
  "no-secret-given": Record<never, never>;
  "secret-not-kept": { readonly undone: Clause; readonly because: string };
  "key-place": Record<never, never>;
  "address-unseen": { readonly host: string; readonly because: Clause };
  "no-address": { readonly host: string; readonly title: string };
  "listen-form": { readonly option: string };
  "cannot-listen": { readonly address: string; readonly port: number; readonly why: string; readonly option: string };
  "no-feed": Record<never, never>;

  // The lab and the demo
  "port-taken": { readonly port: number; readonly first: number };
  "port-rights": { readonly port: number };
  "no-loopback": Record<never, never>;
  "demo-broke-off": { readonly argv: readonly string[]; readonly ended: number; readonly expected: number };
}

export type FailureCode = keyof Failures;

/**
 * Why a run ends: the request or a file is wrong, something is not as it has to be, or it could not be determined.
 * “Could not ask” is never one of the other two.
 */
export type FailureKind = "usage" | "problem" | "undetermined";

/** The one exception that is meant for people. Everything else that is thrown is a defect of the program. */
export class Failure<C extends FailureCode = FailureCode> extends Error {
  readonly code: C;
  readonly params: Failures[C];
  readonly kind: FailureKind;

  constructor(code: C, params: Failures[C], kind: FailureKind = "usage") {
    super(`${code} ${JSON.stringify(params)}`);
    this.name = "Failure";
    this.code = code;
    this.params = params;
    this.kind = kind;
  }
}
