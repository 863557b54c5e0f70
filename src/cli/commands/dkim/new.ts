import { dkimNew, newKeyShape } from "../../../app/mail/dkim-new.ts";
import { KEY_TYPES } from "../../../core/dkim/index.ts";
import { command } from "../../command.ts";
import { choice, shared, text } from "../../options.ts";

export default command({
  name: "dkim new",
  operands: "DOMAIN",
  summary: "make a DKIM key: the private key goes to a file of the workspace, the public key becomes a record to publish",
  examples: [
    ["zandrel dkim new brackwater.example", "an RSA key of 2048 bits, named after the month"],
    ["zandrel dkim new brackwater.example --selector ed1 --key-type ed25519", "a short, modern key beside the RSA key"],
    ["zandrel dkim new brackwater.example --service swiftquill --selector sq1", "a key that a service signs with"],
  ],
  options: {
    selector: text("the selector (named after the month if not given)"),
    keyType: choice(KEY_TYPES, "kind and size of the key", { default: "rsa-2048" }),
    service: shared.service,
  },
  schema: newKeyShape,
  run: dkimNew,
  text: async (result, layout) => (await import("../../../present/mail/dkim-new.ts")).dkimNewText(result, layout),
});
