import { dkimSign } from "../../../app/mail/dkim-sign.ts";
import { command } from "../../command.ts";
import { number, span, text, time } from "../../options.ts";

export default command({
  name: "dkim sign",
  operands: "FILE|-",
  summary: "sign a message with DKIM; the signed message goes to standard output",
  examples: [
    [
      "zandrel dkim sign newsletter.eml --domain brackwater.example --selector spring26 --key keys/brackwater.example/spring26.pem > signed.eml",
      "sign a file",
    ],
    [
      "zandrel dkim sign - --domain brackwater.example --selector spring26 --key spring26.pem --expires-in 7d",
      "from standard input, good for a week",
    ],
  ],
  options: {
    domain: text("the signing domain"),
    selector: text("the selector the key is published at"),
    key: text("the private key, a PEM file"),
    canonicalization: text("changes to forgive, in the header and in the body", { default: "relaxed/relaxed" }),
    fields: text("header fields to sign, with commas between (the usual ones if not given)"),
    expiresIn: span("how long the signature is good, such as 7d (for ever if not given)"),
    identity: text("the address on whose behalf it is signed"),
    length: number("cover only so many octets of the body; anybody may add to the rest"),
    at: time("the time of signing, such as 2026-03-02T09:00Z"),
  },
  noJson: "its result is the signed message",
  run: (request, context) => dkimSign(request, context, context.write),
});
