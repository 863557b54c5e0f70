import type { PURPOSES } from "../../core/ask/index.ts";
import type { CommonRequest } from "../context.ts";

/** What an intake is asked. */
export interface IntakeRequest extends CommonRequest {
  readonly domain: string | undefined;
  readonly service: string | undefined;
  readonly addService: string | undefined;
  readonly purpose: (typeof PURPOSES)[number] | undefined;
  readonly id: string | undefined;
  /** Ids of older asks whose place the new ones take. */
  readonly insteadOf: readonly string[];
  readonly type: string | undefined;
  readonly host: string | undefined;
  readonly value: string | undefined;
  readonly priority: string | undefined;
  readonly ttl: string | undefined;
  readonly kit: string | undefined;
  readonly input: readonly string[];
  /** Whether a kit from an address is used although it changed since. */
  readonly acceptKit: boolean;
  readonly choose: readonly string[];
  readonly acceptLeftover: boolean;
  readonly dryRun: boolean;
  /** Whether the page is shown with what each part of it was taken for; nothing is written then. */
  readonly explain: boolean;
}

/** A request that names nothing: the paste says it all, or the person is asked. */
export const NOTHING_NAMED: Omit<IntakeRequest, keyof CommonRequest> = {
  domain: undefined,
  service: undefined,
  addService: undefined,
  purpose: undefined,
  id: undefined,
  insteadOf: [],
  type: undefined,
  host: undefined,
  value: undefined,
  priority: undefined,
  ttl: undefined,
  kit: undefined,
  input: [],
  acceptKit: false,
  choose: [],
  acceptLeftover: false,
  dryRun: false,
  explain: false,
};
