import type { SenderAddressResult } from "../../app/services/address.ts";
import { inWords } from "../clauses/index.ts";
import { sentence, visible, wrap } from "../index.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link senderAddress} for people. */
export function senderAddressText(
  { address, service, title, state, because, next }: SenderAddressResult,
  { style, width }: Layout,
): string {
  const mark =
    state === "confirmed"
      ? style.good("✓ confirmed")
      : state === "expired"
        ? style.bad("✗ expired")
        : style.careful(`○ ${state}`);
  const command = style.command(inWords(next ?? undefined));
  const todo =
    state === "pending"
      ? `Open the link in that mail, then: ${command}`
      : state === "expired"
        ? `Have it mailed again: ${command}`
        : next === null
          ? `next: ${style.command(`zandrel sender domain ${service} ${address.slice(address.lastIndexOf("@") + 1)}`)}`
          : `Then record it: ${command}`;
  return [
    `${mark}  ${style.title(address)} at ${visible(title)}`,
    `  ${wrap(sentence(visible(inWords(because))), width - 2, "  ")}`,
    `  ${todo}`,
    "",
  ].join("\n");
}
