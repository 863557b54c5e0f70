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
  const doubled = seen.find((one) => one === under(target, apex));
  if (doubled !== undefined)
    return [
      {
        kind: "target-doubled",
        at,
        because: `the ${type} of ${at} leads to ${displayName(doubled)}: the DNS host added the domain to the target, because the final dot was missing`,
        remedy: `enter the target with a final dot: ${target}`,
      },
    ];
  const plain = displayName(target);
  const url = seen.find((one) => one !== target && /[/:]/.test(one) && one.includes(plain));
  if (url !== undefined)
    return [
      {
        kind: "target-is-url",
        at,
        because: `the ${type} of ${at} leads to ${displayName(url)}, which is the address of a page and not a name`,
        remedy: `enter only the name: ${target}`,
      },
    ];
  const [other] = seen;
  if (other === undefined || seen.includes(target)) return [];
  return [
    {
      kind: "other-target",
      at,
      because: `the ${type} of ${at} leads to ${displayName(other)}, not to ${plain}`,
      remedy: `change the target to ${target}`,
    },
  ];
}
