import { clause } from "../clause/index.ts";
import { type DomainName, displayName, under } from "../name/index.ts";
import type { Cause } from "./cause.ts";

/** What a target became on its way into the zone: the domain added to it, a page's address, or another target. */
export function diagnoseTarget(
  at: string,
  type: string,
  target: DomainName,
  seen: readonly DomainName[],
  apex: DomainName,
): Cause[] {
  const doubled = seen.find((domainName) => domainName === under(target, apex));
  if (doubled !== undefined)
    return [
      {
        kind: "target-doubled",
        at,
        because: clause("cause-target-doubled", { type, at, doubled }),
        remedy: clause("cause-target-doubled-mend", { target }),
      },
    ];
  const plain = displayName(target);
  const url = seen.find((candidate) => candidate !== target && /[/:]/.test(candidate) && candidate.includes(plain));
  if (url !== undefined)
    return [
      {
        kind: "target-is-url",
        at,
        because: clause("cause-target-is-url", { type, at, url }),
        remedy: clause("cause-target-is-url-mend", { target }),
      },
    ];
  const [other] = seen;
  if (other === undefined || seen.includes(target)) return [];
  return [
    {
      kind: "other-target",
      at,
      because: clause("cause-other-target", { type, at, other, plain }),
      remedy: clause("cause-other-target-mend", { target }),
    },
  ];
}
