import { nameOperand, spanOption, timeOption } from "../../../app/dns/context.ts";
import { oneMessage } from "../../../app/messages/open.ts";
import { BodyHash, type Canonicalization, makeSignature, type SignOptions, signatureObstacle } from "../../../core/dkim/index.ts";
import { scanMessage } from "../../../core/message/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { openMessages, readPrivateKey, spool } from "../../../workspace/index.ts";
import { type Arguments, command } from "../../command.ts";

function optionsOf(args: Arguments, now: number): SignOptions {
  const wanted = (option: string): string => {
    const value = args[option] as string | undefined;
    if (value === undefined)
      throw new UserError(`--${option} is missing: zandrel dkim sign wants --domain, --selector and --key.`);
    return value;
  };
  const [header, body, ...more] = (args.canonicalization as string).split("/");
  const isOne = (text: string | undefined): text is Canonicalization => text === "simple" || text === "relaxed";
  if (!isOne(header) || !isOne(body) || more.length > 0)
    throw new UserError(
      "--canonicalization is simple or relaxed for the header, a slash, and the same for the body: for example relaxed/simple.",
    );
  const domain = nameOperand(wanted("domain"));
  const selector = wanted("selector");
  const key = readPrivateKey(wanted("key"));
  const lasts = spanOption(args, "lasts");
  const length = args.length as number | undefined;
  if (length !== undefined && !(Number.isInteger(length) && length >= 0))
    throw new UserError("--length wants a whole number of octets.");
  const fields = args.fields as string | undefined;
  const identity = args.identity as string | undefined;
  return {
    domain,
    selector,
    key,
    header,
    body,
    signedAt: now,
    ...(lasts === undefined ? {} : { expires: now + Math.floor(lasts / 1000) }),
    ...(fields === undefined
      ? {}
      : {
          fields: fields
            .toLowerCase()
            .split(/[\s,:]+/)
            .filter((one) => one !== ""),
        }),
    ...(identity === undefined ? {} : { identity }),
    ...(length === undefined ? {} : { length }),
  };
}

export default command({
  name: "dkim sign",
  operands: "FILE|-",
  summary: "sign a message with DKIM; the signed message goes to standard output",
  examples: [
    [
      "zandrel dkim sign newsletter.eml --domain brackwater.example --selector k1 --key keys/brackwater.example/k1.pem > signed.eml",
      "sign a file",
    ],
    [
      "zandrel dkim sign - --domain brackwater.example --selector k1 --key k1.pem --lasts 7d",
      "from standard input, good for a week",
    ],
  ],
  options: {
    domain: { type: "string", requiresArg: true, describe: "the signing domain" },
    selector: { type: "string", requiresArg: true, describe: "the selector the key is published at" },
    key: { type: "string", requiresArg: true, describe: "the private key, a PEM file" },
    canonicalization: {
      type: "string",
      default: "relaxed/relaxed",
      requiresArg: true,
      describe: "changes to forgive, in the header and in the body",
    },
    fields: {
      type: "string",
      requiresArg: true,
      describe: "header fields to sign, with commas between (the usual ones if not given)",
    },
    lasts: { type: "string", requiresArg: true, describe: "how long the signature is good, such as 7d (for ever if not given)" },
    identity: { type: "string", requiresArg: true, describe: "the address on whose behalf it is signed" },
    length: { type: "number", requiresArg: true, describe: "cover only so many octets of the body; anybody may add to the rest" },
    at: { type: "string", requiresArg: true, describe: "the time of signing, such as 2026-03-02T09:00Z" },
  },
  async run(args, context) {
    const [operand, ...more] = args._;
    if (operand === undefined || more.length > 0)
      throw new UserError(
        "zandrel dkim sign wants one file, or - for standard input: for example zandrel dkim sign newsletter.eml --domain brackwater.example --selector k1 --key k1.pem.",
      );
    const options = optionsOf(args, Math.floor((timeOption(args, "at") ?? context.clock.now()) / 1000));
    const obstacle = signatureObstacle(options);
    if (obstacle !== undefined) throw new UserError(`the message cannot be signed: ${obstacle}.`);
    const spooled = operand === "-" ? await spool(context.input()) : undefined;
    try {
      const { source, title } = oneMessage(openMessages(spooled?.path ?? operand), "zandrel dkim sign");
      const body = new BodyHash(options.body, options.length);
      const header = await scanMessage(source, () => [body]);
      if (!header.ok) throw new UserError(`${title}: ${header.error.message}; give a whole message.`);
      if (options.length !== undefined && options.length > body.length)
        throw new UserError(
          `--length ${options.length} is more than the body has (${body.length} octets): give less, or leave it out.`,
        );
      const signature = makeSignature(header.value, body, options);
      if (signature === undefined) throw new UserError(`${title} has no From field, which every signature must cover: add one.`);
      // The new field ends its lines as the file does.
      const raw = `${signature.raw}\r\n`;
      await context.write(Buffer.from(header.value.bareLf ? raw.replaceAll("\r\n", "\n") : raw, "latin1"));
      for await (const chunk of source.chunks()) await context.write(chunk);
      return { exit: EXIT.ok };
    } finally {
      spooled?.close();
    }
  },
});
