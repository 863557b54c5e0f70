import { senderSettings, senderSettingsSchema } from "../../../app/services/settings.ts";
import { command } from "../../command.ts";
import { flag, resolverOptions, shared } from "../../options.ts";

export default command({
  name: "sender settings",
  operands: "SERVICE",
  summary: "the SMTP settings to copy into an application, and with --check whether they work",
  examples: [
    [
      "zandrel sender settings swiftquill --domain brackwater-tickets.example",
      "host, port, TLS mode, user, and where the password is",
    ],
    ["zandrel sender settings swiftquill --check", "connect, encrypt and log in, without sending anything"],
  ],
  options: {
    ...resolverOptions,
    domain: shared.domain,
    check: flag("connect and log in"),
  },
  schema: senderSettingsSchema,
  run: senderSettings,
  text: async (result, layout) => (await import("../../../present/services/settings.ts")).senderSettingsText(result, layout),
});
