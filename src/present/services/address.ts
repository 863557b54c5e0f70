import type { SenderAddressResult } from "../../app/services/address.ts";
import { visible, wrap } from "../index.ts";
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
  const todo =
    state === "pending"
      ? `Open the link in that mail, then: ${style.command(next as string)}`
      : state === "expired"
        ? `Have it mailed again: ${style.command(next as string)}`
        : next === null
          ? `next: ${style.command(`zandrel sender domain ${service} ${address.slice(address.lastIndexOf("@") + 1)}`)}`
          : `Then record it: ${style.command(next)}`;
  return [
    `${mark}  ${style.title(address)} at ${visible(title)}`,
    `  ${wrap(`${visible(because)}.`, width - 2, "  ")}`,
    `  ${todo}`,
    "",
  ].join("\n");
}
