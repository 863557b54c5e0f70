import { senderCredential, senderCredentialSchema } from "../../../app/services/credential.ts";
import { SCOPES } from "../../../core/sending/index.ts";
import { command } from "../../command.ts";
import { choice, flag, resolverOptions, shared, text } from "../../options.ts";

export default command({
  name: "sender credential",
  operands: "SERVICE",
  summary: "make a credential for sending, kept in a file at once and never shown; list and end those there are",
  examples: [
    ["zandrel sender credential swiftquill", "which there are, and where their secrets are kept"],
    [
      "zandrel sender credential swiftquill --new mail --domain brackwater-tickets.example",
      "make one that can only send, for one domain; its secret goes into keys/swiftquill/",
    ],
    [
      "zandrel sender credential swiftquill --new mail --domain brackwater-tickets.example --environment shop.env --as MAIL_PASSWORD --with-settings",
      "the same, straight into an application's environment file, with everything it needs to send",
    ],
    [
      "zandrel sender credential heronpost --keep --user theatre --domain brackwater.example < secret.txt",
      "keep a secret that a page showed, read from standard input",
    ],
    ["zandrel sender credential swiftquill --end c-41", "end one"],
  ],
  options: {
    ...resolverOptions,
    new: choice(SCOPES, "make one: “mail” may only send, “account” may do everything"),
    keep: flag("keep a secret from standard input, of a service without a link"),
    user: text("the user name that belongs to it, with --keep"),
    domain: shared.domain,
    allDomains: flag("good for every domain of the account"),
    secretFile: text("the file for the secret, in the workspace; it must not be there yet"),
    environment: text("an environment file for the secret instead; its other lines stay"),
    as: text("the variable's name in that file"),
    withSettings: flag("write the host, the port, the encryption and the user name into that file too"),
    force: flag("replace a value that the variable has there already"),
    end: text("end the credential with this id"),
  },
  schema: senderCredentialSchema,
  run: senderCredential,
  text: async (result, layout) => (await import("../../../present/services/credential.ts")).senderCredentialText(result, layout),
});
