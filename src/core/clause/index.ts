/**
 * What there is to say about something found, as a code with what its words need. The words are in `present/clauses`.
 *
 * ```ts
 * clause("spf-none", { domain: "brackwater.example" });
 * // { clause: "spf-none", domain: "brackwater.example" }, in words: “brackwater.example has no SPF record”
 * ```
 */
import type { AdviceClauses } from "./advice.ts";
import type { AnswerClauses } from "./answer.ts";
import type { AskedClauses } from "./asked.ts";
import type { BulkClauses } from "./bulk.ts";
import type { CauseClauses } from "./cause.ts";
import type { ChangeClauses } from "./change.ts";
import type { ContractClauses } from "./contract.ts";
import type { DkimClauses } from "./dkim.ts";
import type { DmarcClauses } from "./dmarc.ts";
import type { DnssecClauses } from "./dnssec.ts";
import type { DossierClauses } from "./dossier.ts";
import type { EventsClauses } from "./events.ts";
import type { ExpectedClauses } from "./expected.ts";
import type { GeneralClauses } from "./general.ts";
import type { GuardClauses } from "./guard.ts";
import type { HostClauses } from "./host.ts";
import type { KitClauses } from "./kit.ts";
import type { MessageClauses } from "./message.ts";
import type { NameClauses } from "./name.ts";
import type { NextClauses } from "./next.ts";
import type { Nothing } from "./nothing.ts";
import type { NoticeClauses } from "./notice.ts";
import type { PackedClauses } from "./packed.ts";
import type { PeerClauses } from "./peer.ts";
import type { ProgramClauses } from "./program.ts";
import type { ProveClauses } from "./prove.ts";
import type { PublishClauses } from "./publish.ts";
import type { QuestionClauses } from "./question.ts";
import type { RelocateClauses } from "./relocate.ts";
import type { ReportClauses } from "./report.ts";
import type { RetiredClauses } from "./retired.ts";
import type { SecretClauses } from "./secret.ts";
import type { ServiceClauses } from "./service.ts";
import type { SheetClauses } from "./sheet.ts";
import type { SiteClauses } from "./site.ts";
import type { SpfClauses } from "./spf.ts";
import type { SpreadClauses } from "./spread.ts";
import type { StateClauses } from "./state.ts";
import type { StatusCodeClauses } from "./status-code.ts";
import type { SweepClauses } from "./sweep.ts";
import type { TagsClauses } from "./tags.ts";
import type { ToldClauses } from "./told.ts";
import type { UpdateClauses } from "./update.ts";
import type { VerdictClauses } from "./verdict.ts";
import type { WireClauses } from "./wire.ts";

export type {
  AdviceClauses,
  AnswerClauses,
  AskedClauses,
  BulkClauses,
  CauseClauses,
  ChangeClauses,
  ContractClauses,
  DkimClauses,
  DmarcClauses,
  DnssecClauses,
  DossierClauses,
  EventsClauses,
  ExpectedClauses,
  GeneralClauses,
  GuardClauses,
  HostClauses,
  KitClauses,
  MessageClauses,
  NameClauses,
  NextClauses,
  Nothing,
  NoticeClauses,
  PackedClauses,
  PeerClauses,
  ProgramClauses,
  ProveClauses,
  PublishClauses,
  QuestionClauses,
  RelocateClauses,
  ReportClauses,
  RetiredClauses,
  SecretClauses,
  ServiceClauses,
  SheetClauses,
  SiteClauses,
  SpfClauses,
  SpreadClauses,
  StateClauses,
  StatusCodeClauses,
  SweepClauses,
  TagsClauses,
  ToldClauses,
  UpdateClauses,
  VerdictClauses,
  WireClauses,
};

/** Every clause by its code, with what its words need. */
export interface Clauses
  extends AdviceClauses,
    AnswerClauses,
    AskedClauses,
    BulkClauses,
    CauseClauses,
    ChangeClauses,
    ContractClauses,
    DkimClauses,
    DmarcClauses,
    DnssecClauses,
    DossierClauses,
    EventsClauses,
    ExpectedClauses,
    GeneralClauses,
    GuardClauses,
    HostClauses,
    KitClauses,
    MessageClauses,
    NameClauses,
    NextClauses,
    NoticeClauses,
    PackedClauses,
    PeerClauses,
    ProgramClauses,
    ProveClauses,
    PublishClauses,
    QuestionClauses,
    RelocateClauses,
    ReportClauses,
    RetiredClauses,
    SecretClauses,
    ServiceClauses,
    SheetClauses,
    SiteClauses,
    SpfClauses,
    SpreadClauses,
    StateClauses,
    StatusCodeClauses,
    SweepClauses,
    TagsClauses,
    ToldClauses,
    UpdateClauses,
    VerdictClauses,
    WireClauses {}

/** A part of a sentence that people read, without a full stop; `clause` is its code, and what its words need stands beside it. */
export interface Clause {
  readonly clause: keyof Clauses;
}

/** Says something by its code. */
export const clause = <C extends keyof Clauses>(
  code: C,
  ...params: Clauses[C] extends Nothing ? (Nothing extends Clauses[C] ? [] : [Clauses[C]]) : [Clauses[C]]
): Clause => ({ clause: code, ...params[0] }) as Clause;

/** That there is nothing to say, or to do. */
export const NOTHING: Clause = clause("nothing");

/** A clause as the message of a schema's check, which has to be a text; {@link clauseOf} reads it again. */
export const asMessage = (said: Clause): string => JSON.stringify(said);

/** What the message of a check says; one that is not a clause is taken as it is. */
export const clauseOf = (message: string): Clause =>
  message.startsWith('{"clause":') ? (JSON.parse(message) as Clause) : verbatim(message);

/** What somebody else said, as it is. */
export const verbatim = (text: string): Clause => clause("verbatim", { text });
