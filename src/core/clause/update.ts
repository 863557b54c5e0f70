import type { DomainName } from "../name/index.ts";

/** The server, as people write it, and the name of the key. */
interface Signed {
  readonly server: string;
  readonly key: DomainName;
}

/** How a dynamic update ended where it was not carried out for sure, and what is done then. */
export interface UpdateClauses {
  "update-other-key": Signed;
  "update-unknown-key": Signed & { readonly algorithm: string };
  "update-wrong-secret": Signed;
  "update-forged": Signed;
  /** By how many minutes this machine is ahead; undefined where the server does not say. */
  "update-clock": { readonly server: string; readonly minutes: number | undefined };
  "update-unsigned": { readonly server: string };
  "update-unreadable": { readonly server: string };
  "update-moved": { readonly server: string; readonly code: string };
  "update-not-primary": { readonly server: string; readonly zone: DomainName; readonly code: string };
  "update-not-allowed": Signed & { readonly zone: DomainName };
  "update-code": { readonly server: string; readonly code: string | undefined };
  "update-by-url": { readonly server: string };
  /** `between`: somebody may be in between, and what the zone holds is looked at; `late`: an answer never came. */
  "update-mend": {
    readonly what:
      | "key"
      | "secret"
      | "clock"
      | "primary"
      | "permission"
      | "again"
      | "address"
      | "reach"
      | "look"
      | "between"
      | "late";
  };
}
