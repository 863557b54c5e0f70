/**
 * The ports of `core` made real: asking DNS servers and changing zones.
 *
 * ```ts
 * const client = new DnsClient({ timeout: 5000 });
 * const vantage = client.at({ address: "127.0.0.1", port: 53 }, { recursive: true });
 * await vantage.ask(name("brackwater.example"), "TXT");   // an Answer, never an exception
 * client.close();
 *
 * ```
 *
 * `update.ts` (changing zones), `web.ts` (pages), `helper.ts` (a DNS host's own program), `mail.ts` (SMTP),
 * `service-link.ts` (services over HTTP) and `event-feed.ts` (their events) are doors of their own, as are `address.ts` and
 * `client.ts`, so that a command that needs none of them does not load them.
 */
export { parseServerAddress, type ServerAddress, serverText } from "./address.ts";
export type { ApprovalFailure, ApprovalHost } from "./approval.ts";
export { DnsClient } from "./client.ts";
export { isSafeAddress } from "./fetch-bounded.ts";
export * from "./message.ts";
export { transferZone } from "./transfer.ts";
export {
  signMessage,
  TSIG_ERROR,
  type TsigKey,
  TsigStream,
  verifyMessage,
} from "./tsig.ts";
