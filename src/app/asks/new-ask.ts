import type { Purpose } from "../../core/ask/index.ts";
import type { Layout, Understood } from "../../core/ask/intake/index.ts";
import type { TemplateUse } from "../../core/kit/index.ts";
import type { DomainName } from "../../core/name/index.ts";
import type { ResourceRecord } from "../../core/record/index.ts";
import type { WebProof } from "../../core/site/index.ts";

/** An ask on its way into a file. */
export interface NewAsk {
  readonly id: string;
  readonly service: string;
  readonly purpose: Purpose;
  readonly domain: DomainName;
  readonly after: readonly string[];
  readonly records: readonly ResourceRecord[];
  /** Records that have to go, because the page says so. */
  readonly remove?: readonly ResourceRecord[];
  readonly spf?: string;
  /** SPF terms that go, because those of this ask stand in their place. */
  readonly spfWithout?: string;
  readonly dmarc?: string;
  readonly web?: WebProof;
  /** How a DNS host that takes approvals knows it. */
  readonly template?: TemplateUse;
}

/** What came of an intake: what was understood, and what became of it. */
export interface Intake {
  readonly domain: DomainName;
  readonly written: boolean;
  /** Whether the person said no to what was understood. */
  readonly declined?: boolean;
  /** Asks that hold some of it already. */
  readonly already: readonly string[];
  /** Asks of the same service that this looks like a newer version of. */
  readonly newerThan: readonly string[];
  /** The asks that were replaced. */
  readonly insteadOf: readonly string[];
  /** Whether the page is shown with what each part of it was taken for. */
  readonly explain?: boolean;
  readonly layout: Layout | { readonly kit: string } | undefined;
  readonly asks: readonly NewAsk[];
  /** Where the page redirects the whole domain to, which its file says from now on. */
  readonly redirectTo: DomainName | undefined;
  /** Purposes that nothing on the page says, so that the usual one was taken. */
  readonly assumed: readonly Purpose[];
  /** What a paste said; undefined for a kit. */
  readonly read: Understood | undefined;
  /** What has to be done at the service first, as its kit says. */
  readonly before: readonly string[];
  /** Asks of the kit that need inputs the service shows later. */
  readonly later: readonly string[];
  /** Whether DNS hosts may know the asks as a template, and the domain is published in another way today. */
  readonly approvable?: boolean;
}
