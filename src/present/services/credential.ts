import type { SenderCredentialResult } from "../../app/services/credential.ts";
import { visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link senderCredential} for people. */
export function senderCredentialText(
  { done, title, service, credentials, place, ignored }: SenderCredentialResult,
  { style, width }: Layout,
): string {
  const goodFor = ({ scope, domain }: SenderCredentialResult["credentials"][number]): string =>
    `${scope === "mail" ? "can only send" : "can do everything"}, for ${domain === null ? "every domain" : visible(domain.slice(0, -1))}`;
  const [one] = credentials;
  if (done === "listed")
    return credentials.length === 0
      ? `${visible(title)} has no credential yet. Make one: ${style.command(`zandrel sender credential ${service} --new mail --domain DOMAIN`)}\n`
      : `${credentials.map((each) => `${style.title(visible(each.id))}  ${goodFor(each)}; user ${visible(each.user)}; ${each.kept === null ? "its secret is not in this workspace" : `secret in ${visible(each.kept)}`}\n`).join("")}`;
  if (one === undefined) return "";
  if (done === "revoked")
    return `${style.good("✓")} ${visible(one.id)} of ${visible(title)} is ended; nothing can be sent with it any more.${place === null ? "" : ` Its secret in ${visible(place)} may be deleted.`}\n`;
  return [
    `${style.good("✓")} ${style.title(visible(one.id))} of ${visible(title)} ${goodFor(one)}.`,
    `  ${wrap(`The secret is in ${visible(place ?? "")}, readable only by you (mode 0600), and is shown nowhere else.`, width - 2, "  ")}`,
    ...(ignored ? [`  ${wrap("The file was added to .gitignore, so that it is not shared by mistake.", width - 2, "  ")}`] : []),
    ...(one.kept?.startsWith("env:") === true
      ? [
          `  ${wrap(`Commands that send read it from ${one.kept.slice(4)}: load the file into the environment first, with: set -a; . ${place ?? "the file"}; set +a`, width - 2, "  ")}`,
        ]
      : []),
    `  next: ${style.command(`zandrel sender settings ${service}${one.domain === null ? "" : ` --domain ${one.domain.slice(0, -1)}`} --check`)}`,
    "",
  ].join("\n");
}
