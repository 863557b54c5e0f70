import type { SenderSettingsResult } from "../../app/services/settings.ts";
import { inWords } from "../clauses/index.ts";
import { columns, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

const TLS_WORDS = { starttls: "STARTTLS (required, never without)", implicit: "TLS from the first octet" } as const;

/** The result of {@link senderSettings} for people. */
export function senderSettingsText(
  { title, service, host, port, tls, user, password, check }: SenderSettingsResult,
  { style, width }: Layout,
): string {
  const mark =
    check === null
      ? undefined
      : `${{ works: style.good("✓ works"), refused: style.bad("✗ refused"), unknown: style.careful("? unknown") }[check.verdict]}  ${wrap(visible(inWords(check.because)), width - 12, "  ")}`;
  const missing = `none yet: zandrel sender credential ${service} --new mail --domain DOMAIN`;
  return [
    style.title(`SMTP settings of ${visible(title)}`),
    ...columns([
      ["  host", visible(host)],
      ["  port", String(port)],
      ["  encryption", TLS_WORDS[tls]],
      ["  user", user === null ? missing : visible(user)],
      ["  password", password === null ? missing : `kept in ${visible(password)}`],
    ]),
    ...(mark === undefined ? [`Check them: ${style.command(`zandrel sender settings ${service} --check`)}`] : [mark]),
    "",
  ].join("\n");
}
