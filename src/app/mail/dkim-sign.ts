import { resolve } from "node:path";
import { BodyHash, type Canonicalization, makeSignature, type SignOptions, signatureObstacle } from "../../core/dkim/index.ts";
import { Failure } from "../../core/failure.ts";
import { scanMessage } from "../../core/message/index.ts";
import { openMessages, readPrivateKey, spool } from "../../workspace/index.ts";
import type { AppContext, CommonRequest, Outcome } from "../context.ts";
import { onlyOperand } from "../context.ts";
import { nameOperand } from "../dns/context.ts";
import { oneMessage, STANDARD_INPUT } from "../messages/open.ts";

function optionsOf(request: DkimSignRequest, cwd: string, now: number): SignOptions {
  const wanted = (option: "domain" | "selector" | "key"): string => {
    const value = request[option];
    if (value === undefined) throw new Failure("option-missing", { option, all: ["domain", "selector", "key"] });
    return value;
  };
  const [header, body, ...more] = request.canonicalization.split("/");
  const isOne = (text: string | undefined): text is Canonicalization => text === "simple" || text === "relaxed";
  if (!isOne(header) || !isOne(body) || more.length > 0) throw new Failure("canonicalization", {});
  const domain = nameOperand(wanted("domain"));
  const selector = wanted("selector");
  const key = readPrivateKey(resolve(cwd, wanted("key")));
  const lasts = request.expiresIn;
  const length = request.length;
  const fields = request.fields;
  const identity = request.identity;
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
            .filter((candidate) => candidate !== ""),
        }),
    ...(identity === undefined ? {} : { identity }),
    ...(length === undefined ? {} : { length }),
  };
}

/** What {@link dkimSign} is asked. */
export interface DkimSignRequest extends CommonRequest {
  readonly domain: string | undefined;
  readonly selector: string | undefined;
  readonly key: string | undefined;
  readonly canonicalization: string;
  readonly fields: string | undefined;
  readonly expiresIn: number | undefined;
  readonly identity: string | undefined;
  readonly length: number | undefined;
  readonly at: number | undefined;
}

/** Sign a message with DKIM; the signed message goes to standard output. */
export async function dkimSign(
  request: DkimSignRequest,
  context: AppContext,
  write: (octets: Buffer) => Promise<void>,
): Promise<Outcome<undefined>> {
  const operand = onlyOperand(request);
  const options = optionsOf(request, context.cwd, Math.floor((request.at ?? context.clock.now()) / 1000));
  const obstacle = signatureObstacle(options);
  if (obstacle !== undefined) throw new Failure("cannot-sign", { because: obstacle });
  const spooled = operand === "-" ? await spool(context.input()) : undefined;
  try {
    const { source, title } = oneMessage(
      spooled === undefined ? openMessages(resolve(context.cwd, operand), operand) : openMessages(spooled.path, STANDARD_INPUT),
    );
    const body = new BodyHash(options.body, options.length);
    const header = await scanMessage(source, () => [body]);
    if (!header.ok) throw new Failure("not-a-message", { title, because: header.error.message });
    if (options.length !== undefined && options.length > body.length)
      throw new Failure("length-too-large", { length: options.length, body: body.length });
    const signature = makeSignature(header.value, body, options);
    if (signature === undefined) throw new Failure("no-from", { title });
    // The new field ends its lines as the file does.
    const raw = `${signature.raw}\r\n`;
    await write(Buffer.from(header.value.bareLf ? raw.replaceAll("\r\n", "\n") : raw, "latin1"));
    for await (const chunk of source.chunks()) await write(chunk);
    return { ended: "fine" };
  } finally {
    spooled?.close();
  }
}
