import { dkimRotate, dkimRotateSchema } from "../../../app/mail/dkim-rotate.ts";
import { KEY_TYPES } from "../../../core/dkim/index.ts";
import { command } from "../../command.ts";
import { choice, flag, resolverOptions, shared, span, text } from "../../options.ts";

export default command({
  name: "dkim rotate",
  operands: "DOMAIN",
  summary: "replace a DKIM key in an order in which no message fails: every step with its date, and the asks for it",
  examples: [
    [
      "zandrel dkim rotate brackwater.example --old-selector z202603 --new-selector z202609",
      "the plan, and where it stands today",
    ],
    [
      "zandrel dkim rotate brackwater.example --old-selector z202603 --new-selector z202609 --write",
      "make the new key and save the asks",
    ],
    [
      "zandrel dkim rotate brackwater.example --old-selector z202603 --new-selector z202609 --switched",
      "mail is signed with the new key from now on",
    ],
  ],
  options: {
    ...resolverOptions,
    oldSelector: text("the selector in use"),
    newSelector: text("the selector of the new key"),
    keyType: choice(KEY_TYPES, "kind and size of the new key", { default: "rsa-2048" }),
    transit: span("how long mail may be on its way (7d if not given)"),
    service: shared.service,
    write: flag("make the new key and save the asks"),
    revoke: flag("end the old key's ask, so that its empty key can be published"),
    force: flag("with --revoke: even while mail may be on its way"),
    switched: flag("record that mail is signed with the new key from now on"),
  },
  schema: dkimRotateSchema,
  run: dkimRotate,
  text: async (result, layout) => (await import("../../../present/mail/dkim-rotate.ts")).dkimRotateText(result, layout),
});
