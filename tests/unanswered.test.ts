import { createSocket } from "node:dgram";
import { cpSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { folderWith, zandrel } from "./zandrel.ts";

/** The octets of a question, as far as the end of its question section. */
function questionOf(message: Buffer): Buffer {
  let at = 12;
  while (message[at] !== 0) at += (message[at] as number) + 1;
  return message.subarray(0, at + 5);
}

/** An answer without records, with a response code. */
function refusal(message: Buffer, rcode: number): Buffer {
  const answer = Buffer.from(questionOf(message));
  answer[2] = 0x84 | ((message[2] as number) & 0x79);
  answer[3] = 0x80 | rcode;
  for (const at of [6, 8, 10]) answer.writeUInt16BE(0, at);
  return answer;
}

/** Servers of which nothing can be learned; what each does with a question. */
const SERVERS: Readonly<Record<string, (message: Buffer) => Buffer | undefined>> = {
  "keeps silent": () => undefined,
  refuses: (message) => refusal(message, 5),
  fails: (message) => refusal(message, 2),
  "says that a name does not exist and shows a record of it": (message) => {
    const answer = refusal(message, 3);
    answer.writeUInt16BE(1, 6);
    const record = Buffer.from([0xc0, 12, 0, 16, 0, 1, 0, 0, 0, 60, 0, 2, 1, 120]);
    questionOf(message).subarray(-4, -2).copy(record, 2);
    return Buffer.concat([answer, record]);
  },
  "answers what was not asked": (message) => {
    const answer = refusal(message, 0);
    answer[13] = ((answer[13] as number) ^ 1) | 0x20;
    return answer;
  },
};

const address = new Map<string, string>();
const closing: (() => void)[] = [];
beforeAll(async () => {
  for (const [kind, answer] of Object.entries(SERVERS)) {
    const socket = createSocket("udp4");
    await new Promise<void>((resolve) => socket.bind(0, "127.0.0.1", resolve));
    socket.on("message", (message, from) => {
      const octets = answer(message);
      if (octets !== undefined) socket.send(octets, from.port, from.address);
    });
    address.set(kind, `127.0.0.1:${socket.address().port}`);
    closing.push(() => socket.close());
  }
});
afterAll(() => {
  for (const close of closing) close();
});

const MAIL = [
  "From: news@brackwater.example",
  "To: reader@saltmarsh.example",
  "Subject: A new play",
  "DKIM-Signature: v=1; a=ed25519-sha256; c=relaxed/relaxed; d=brackwater.example; s=k1; h=from; bh=47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=; b=AAAA",
  "",
  "",
].join("\r\n");

const DOMAIN = "brackwater.example";
const LOOKING: readonly (readonly string[])[] = [
  ["status"],
  ["draft"],
  ["publish"],
  ["publish", "--check"],
  ["prove", "seekmere-ownership"],
  ["retire", "seekmere-ownership"],
  ["site", DOMAIN],
  ["audit", DOMAIN],
  ["audit", `nothing.${DOMAIN}`],
  ["spf", "explain", DOMAIN],
  ["spf", "test", DOMAIN, "--ip", "192.0.2.1"],
  ["spf", "combine", DOMAIN, "ip4:192.0.2.1"],
  ["spf", "flatten", DOMAIN, "--include", "spf.heronpost.example"],
  ["dkim", "check", DOMAIN],
  ["dkim", "check", DOMAIN, "k1"],
  ["dkim", "verify", "-"],
  ["dkim", "rotate", DOMAIN, "--old-selector", "a", "--new-selector", "b"],
  ["dmarc", "explain", DOMAIN],
  ["dmarc", "compose", DOMAIN, "--policy", "none", "--reports-to", `dmarc@${DOMAIN}`],
  ["undo", DOMAIN],
  ["watch", DOMAIN, "--for", "1s"],
  ["sender", "domain", "heronpost", DOMAIN],
  ["sender", "address", "heronpost", `news@${DOMAIN}`],
  ["sender", "settings", "heronpost", "--check"],
  ["relocate", "capture", DOMAIN, "--file", "captured.zone"],
  ["relocate", "compare", DOMAIN, "--new-host", "zonemarrow"],
  ["relocate", "check", DOMAIN, "--new-host", "zonemarrow"],
  ["draft", "--launch", "2099-03-02T09:00Z"],
  ["message", "judge", "-", "--ip", "192.0.2.1", "--mail-from", `news@${DOMAIN}`],
];

/** What nobody can say who could not ask. */
const CLAIMS =
  /no trace|no DKIM key|all is as it should|there is no record|is missing|not there\b|not published|has no SPF|no policy|nothing to do|everything asked for|hold nothing|is not delegated|no address/i;

describe.each(Object.keys(SERVERS))("where every server %s,", (kind) => {
  let folder = "";
  beforeAll(async () => {
    folder = folderWith({});
    await zandrel(folder, ["init", DOMAIN, "--dns-host", "nettlehost"]);
    const settings = join(folder, "zandrel.yaml");
    const [host, port] = (address.get(kind) as string).split(":");
    writeFileSync(
      settings,
      readFileSync(settings, "utf8").replace(
        "hosts:\n",
        `hosts:\n  zonemarrow:\n    title: Zonemarrow\n    servers: ["${host}:${port}"]\n    publish: { way: by-hand }\n`,
      ),
    );
    // A service whose link and mail server nobody reaches, and a publication that could be undone.
    writeFileSync(
      settings,
      readFileSync(settings, "utf8").replace(
        "services: {}",
        `services:\n  heronpost:\n    title: Heronpost\n    link: http://127.0.0.1:9/link/v1\n    submission: { host: submit.heronpost.example, port: 587, tls: starttls, user: theatre, password: env:MAIL_PASSWORD }`,
      ),
    );
    await zandrel(folder, ["intake", "--add-service", "Seekmere", "--type", "TXT", "--host", "@", "--value", "seek=1"]);
    writeFileSync(join(folder, "zone"), `$ORIGIN ${DOMAIN}.\n$TTL 60\n@ SOA ns1 h 1 1 1 1 1\n@ NS ns1\n`);
    await zandrel(folder, ["publish", "--into", "zone"]);
  });
  test.each(LOOKING.map((argv) => [argv.join(" "), argv] as const))("%s says that it could not ask", async (_, argv) => {
    const here = folderWith({});
    cpSync(folder, here, { recursive: true });
    // A refusal is an answer, and it is given the time that one takes on a busy machine.
    const timeout = kind === "refuses" ? "20" : "0.4";
    const ran = await zandrel(here, [...argv, "--resolver", address.get(kind) as string, "--timeout", timeout], {
      input: MAIL,
      env: { MAIL_PASSWORD: "s3cret-of-nobody" },
    });
    const said = ran.out + ran.err;
    expect(said).not.toMatch(/\n\s+at /);
    expect(said).not.toMatch(CLAIMS);
    // A host that refuses to speak of a domain says that it does not have it, and that is what was asked there.
    const exit = argv[1] === "compare" && kind === "refuses" ? 1 : 3;
    expect([ran.exit, said.includes(address.get(kind) as string) || /could not\s+be|cannot\s+be/i.test(said)]).toEqual([
      exit,
      true,
    ]);
  });
});
