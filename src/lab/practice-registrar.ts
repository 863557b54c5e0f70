import { displayName, withoutRootDot } from "../core/name/index.ts";
import type { FormHost } from "./practice-form.ts";
import { html, page } from "./practice-page.ts";
import type { Registration } from "./registrar.ts";
import { nameServersOf } from "./zones.ts";

/** How long the registry's answers are remembered, as the page says it. */
const hours = (seconds: number): string => `${seconds / 3600} hours`;

/** The registrar's page of a domain: its name servers, and its DNSSEC records. */
export function registrarPage(
  { domain, nameServers, ttl, ds, dsTtl }: Registration,
  hosts: readonly Pick<FormHost, "key" | "title">[],
  said = "",
): string {
  const own = withoutRootDot(domain);
  const area = (field: string, label: string, lines: readonly string[], button: string): string =>
    `<form method="post" action="/registrar/${own}"><label for="${field}">${label}</label><br><textarea id="${field}" name="${field}" rows="${Math.max(3, lines.length + 1)}" cols="70">${html(lines.join("\n"))}</textarea><br><button>${button}</button></form>`;
  return page(
    `The registrar: ${displayName(domain)}`,
    [
      said === "" ? "" : `<p class="said" role="status">${html(said)}</p>`,
      area("servers", "Name servers, one a line", nameServers.map(withoutRootDot), "Save name servers"),
      `<p>Resolvers remember them for ${hours(ttl)}. ${hosts.map(({ key, title }) => `${title} has <code>${nameServersOf(key).map(withoutRootDot).join("</code> and <code>")}</code>`).join(", ")}. The registrar does not look whether a server knows the domain.</p>`,
      area("records", "DNSSEC records (DS), one a line: key tag, algorithm, digest type, digest", ds, "Save DNSSEC records"),
      `<p>Resolvers remember them for ${hours(dsTtl)}. A record that fits no key of the name servers makes the domain unreachable for everybody who checks.</p>`,
    ].join(""),
  );
}
