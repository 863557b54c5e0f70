/**
 * The ports of `core` made real: asking DNS servers and changing zones.
 *
 * ```ts
 * const client = new DnsClient({ timeout: 5000 });
 * const vantage = client.at({ address: "127.0.0.1", port: 53 }, { recursive: true });
 * await vantage.ask(name("brackwater.example"), "TXT");   // an Answer, never an exception
 * client.close();
 *
 * await sendUpdate({ server, apex, key, changes, now, timeout: 5000 });   // { kind: "done" } | { kind: "moved" } ...
 * ```
 *
 * `mail.ts` (SMTP), `service-link.ts` (services over HTTP) and `event-feed.ts` (their events) are doors of their own, so that
 * a command that needs none of them does not load them.
 */
export { parseServerAddress, type ServerAddress, serverText } from "./address.ts";
export { DnsClient } from "./client.ts";
export { type HelperSet, runHelper } from "./helper.ts";
export * from "./message.ts";
export { transferZone } from "./transfer.ts";
export {
  signMessage,
  TSIG_ERROR,
  type TsigKey,
  verifyMessage,
} from "./tsig.ts";
export { sendUpdate } from "./update.ts";
export { fetchPage, followPage, type WebOptions } from "./web.ts";
