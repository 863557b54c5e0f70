import { chmodSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { makeAuthority } from "../src/lab/certificates.ts";
import { answers, BINARIES, describeServers, missing, start, startKnot, startUnbound, stopServers } from "./real-servers.ts";
import { folderWith, freePort, zandrel } from "./zandrel.ts";

/** The built program and a real mail server: Exim with STARTTLS and AUTH, knotd serving the zone, unbound resolving. */
const AUTHORITY = "127.62.0.2";
const VANTAGE = "127.62.0.12";
const EXIM = "127.62.0.25";
const SECRET = "c2VjcmV0IHNlY3JldCBzZWNyZXQgc2VjcmV0IHNlY3JldA==";
const PASSWORD = "quill-and-ink-of-nobody";
const FROM = "box@brackwater.example";

describeServers("with Exim", () => {
  let folder: string;
  let ports: { dns: number; mail: number };
  const run = (argv: readonly string[], env: Record<string, string> = {}) =>
    zandrel(folder, argv, {
      env: { TSIG: SECRET, PIGEONRY_PASSWORD: PASSWORD, NODE_EXTRA_CA_CERTS: join(folder, "ca.pem"), ...env },
    });
  const maildir = () => join(folder, "Maildir");
  const send = (more: readonly string[] = [], env = {}, to = "probe@mallowmail.example") =>
    run(
      [
        ...["message", "send", "--service", "pigeonry", "--from", FROM, "--to", to],
        ...["--copy", "Maildir", "--sign", "r1", "--for", "20s", "--json", ...more],
      ],
      env,
    );

  beforeAll(async () => {
    expect(missing).toEqual([]);
    ports = { dns: await freePort(), mail: await freePort() };
    const authority = await makeAuthority();
    const leaf = await authority.leaf("submit.pigeonry.example");
    const soa = "@ SOA ns1.nettlehost.example. hostmaster 1 60 60 600 3\n@ NS ns1.nettlehost.example.\n";
    folder = folderWith({
      "ca.pem": authority.pem,
      "cert.pem": leaf.cert,
      "key.pem": leaf.key,
      "root.zone": `$TTL 60\n. SOA ns1.nettlehost.example. h.nettlehost.example. 1 60 60 60 5\n. NS ns1.nettlehost.example.\nexample. NS ns1.nettlehost.example.\nns1.nettlehost.example. A ${AUTHORITY}\n`,
      "example.zone": `$TTL 60\n$ORIGIN example.\n@ SOA ns1.nettlehost h.nettlehost 1 60 60 60 3\n@ NS ns1.nettlehost\nns1.nettlehost A ${AUTHORITY}\nbrackwater NS ns1.nettlehost\n*.pigeonry A ${EXIM}\n`,
      "brackwater.zone": `$TTL 3\n$ORIGIN brackwater.example.\n${soa}`,
      "exim.conf": "",
      "zandrel.yaml": "",
    });
    mkdirSync(join(folder, "domains"));
    // Exim gives up its rights and writes as somebody else.
    chmodSync(folder, 0o777);
    writeFileSync(
      join(folder, "exim.conf"),
      `primary_hostname = mx.mallowmail.example
spool_directory = ${folder}/spool
log_file_path = ${folder}/exim-%slog
pid_file_path = ${folder}/exim.pid
local_interfaces = ${EXIM}.${ports.mail}
daemon_smtp_ports = ${ports.mail}
tls_certificate = ${folder}/cert.pem
tls_privatekey = ${folder}/key.pem
tls_advertise_hosts = *
auth_advertise_hosts = \${if eq{$tls_in_cipher}{}{}{*}}
exim_user = ${process.getuid?.() ?? 0}
exim_group = ${process.getgid?.() ?? 0}
never_users =
keep_environment =
acl_smtp_rcpt = check_recipient
acl_smtp_data = accept
begin acl
check_recipient:
  require authenticated = *
  deny message = 5.1.1 there is no such mailbox here
       local_parts = nobody
  accept domains = mallowmail.example
begin routers
local:
  driver = accept
  transport = maildir
begin transports
maildir:
  driver = appendfile
  directory = ${folder}/Maildir
  maildir_format
  return_path_add
  user = ${process.getuid?.() === 0 ? "nobody" : process.getuid?.()}
  group = ${process.getuid?.() === 0 ? "nogroup" : process.getgid?.()}
begin authenticators
plain:
  driver = plaintext
  public_name = PLAIN
  server_prompts = :
  server_condition = \${if and{{eq{$auth2}{theatre}}{eq{$auth3}{${PASSWORD}}}}}
  server_set_id = $auth2
`,
    );
    mkdirSync(join(folder, "spool"));
    mkdirSync(maildir());
    chmodSync(maildir(), 0o777);
    writeFileSync(
      join(folder, "zandrel.yaml"),
      `version: 1\norganisation: Brackwater Puppet Theatre\nvantages:\n  - { name: Quay Street, resolver: "${VANTAGE}:${ports.dns}" }\nhosts:\n  nettlehost:\n    title: Nettlehost\n    publish: { way: update, server: "${AUTHORITY}:${ports.dns}", key: { name: brackwater-key, secret: env:TSIG } }\nservices:\n  pigeonry:\n    title: Pigeonry\n    submission: { host: submit.pigeonry.example, port: ${ports.mail}, tls: starttls, user: theatre, password: env:PIGEONRY_PASSWORD }\ndefaults: { ttl: 3, authorityPort: ${ports.dns} }\n`,
    );
    writeFileSync(
      join(folder, "domains/brackwater.example.yaml"),
      "domain: brackwater.example\nhost: nettlehost\nasks:\n  - id: pigeonry-sending\n    service: pigeonry\n    purpose: sending\n    spf: ip4:127.0.0.1\n",
    );
    startKnot(folder, {
      listen: `${AUTHORITY}@${ports.dns}`,
      more: `key:\n  - id: brackwater-key\n    algorithm: hmac-sha256\n    secret: ${SECRET}\nacl:\n  - id: update\n    key: brackwater-key\n    action: update\n`,
      zones: { ".": "root.zone", "example.": "example.zone", "brackwater.example": "brackwater.zone" },
      zone: "    acl: update\n",
    });
    startUnbound(folder, VANTAGE, ports.dns, { "brackwater.example": AUTHORITY, example: AUTHORITY, ".": AUTHORITY });
    start(BINARIES.exim, ["-C", join(folder, "exim.conf"), "-bdf"]);
    await answers(VANTAGE, ports.dns, "brackwater.example", "SOA");
  });
  afterAll(stopServers);

  test("nothing is sent before the asks are published", async () => {
    expect(await run(["dkim", "new", "brackwater.example", "--selector", "r1"])).toMatchObject({ exit: 0 });
    const policy = ["--policy", "reject", "--force", "--reports-to", "dmarc@brackwater.example", "--write"];
    expect(await run(["dmarc", "compose", "brackwater.example", ...policy])).toMatchObject({ exit: 0 });
    const early = await send();
    expect([early.exit, early.json.sent.verdict]).toEqual([1, "not-sent"]);
    expect(early.json.missing).toMatchObject([{ what: "pigeonry-sending", state: "noted" }]);
  });

  test("published, sent with STARTTLS and AUTH, signed here, delivered, judged: ready", async () => {
    expect(await run(["publish", "brackwater.example"])).toMatchObject({ exit: 0, err: "" });
    expect(await run(["watch", "--for", "20s", "--json"])).toMatchObject({ exit: 0 });
    const sent = await send();
    expect(sent).toMatchObject({ err: "" });
    expect(sent.json).toMatchObject({
      via: "smtp",
      signed: { domain: "brackwater.example.", selector: "r1" },
      sent: { verdict: "accepted" },
      received: {
        spf: { result: "pass", domain: "brackwater.example." },
        dkim: [{ result: "pass", domain: "brackwater.example.", selector: "r1" }],
        dmarc: { result: "pass", policy: "reject" },
      },
      ready: true,
    });
    expect(sent.exit).toBe(0);
    // The file as the server wrote it, on its own.
    const [file = "", ...more] = readdirSync(join(maildir(), "new"));
    expect(more).toEqual([]);
    const text = readFileSync(join(maildir(), "new", file), "latin1");
    expect(text).toMatch(/with esmtpsa/);
    expect(text.replace(/\n[ \t]+/g, " ")).toContain(`Message-ID: <${sent.json.messageId}>`);
    const judged = await run(["message", "judge", join("Maildir/new", file), "--json"]);
    expect([judged.exit, judged.json.dmarc.result, judged.json.bulk.filter((one: { met: boolean }) => !one.met)]).toEqual([
      0,
      "pass",
      [],
    ]);
  });

  test("its words are quoted and explained", async () => {
    const wrong = await send([], { PIGEONRY_PASSWORD: "wrong" });
    expect([wrong.exit, wrong.json.sent]).toEqual([
      1,
      { verdict: "refused", because: expect.stringMatching(/refused to log in: “535/) },
    ]);
    const nobody = await send([], {}, "nobody@mallowmail.example");
    expect(nobody.json.sent.because).toMatch(/refused to take the recipient: “550 5\.1\.1 .*no such mailbox at that domain/);
    expect([wrong, nobody].every(({ out, err }) => !`${out}${err}`.includes(PASSWORD))).toBe(true);
    const checked = await run(["sender", "settings", "pigeonry", "--check", "--json"]);
    expect([checked.exit, checked.json.check.verdict]).toEqual([0, "works"]);
  });

  test("a certificate for another name ends it before the password is sent", async () => {
    const before = readFileSync(join(folder, "zandrel.yaml"), "utf8");
    writeFileSync(join(folder, "zandrel.yaml"), before.replace("submit.pigeonry", "other.pigeonry"));
    const checked = await run(["sender", "settings", "pigeonry", "--check", "--json"]);
    writeFileSync(join(folder, "zandrel.yaml"), before);
    expect([checked.exit, checked.json.check]).toEqual([
      3,
      {
        verdict: "unknown",
        because:
          "other.pigeonry.example stopped when it had to encrypt: its certificate is not for other.pigeonry.example but for submit.pigeonry.example",
      },
    ]);
    expect(readFileSync(join(folder, "exim-mainlog"), "utf8")).not.toContain(PASSWORD);
  });
});
