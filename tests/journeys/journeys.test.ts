import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { Journey } from "./journey.ts";

/** Pieces of work from beginning to end, typed as a specialist types them, with the mistakes that are made on the way. */
const journey = (title: string, work: (journey: Journey) => Promise<void>, change?: (settings: string) => string) =>
  test(title, async () => {
    const on = await Journey.begin(change);
    try {
      await work(on);
    } finally {
      await on.close();
    }
  });

const INIT = "zandrel init brackwater.example --dns-host nettlehost --settings lab.yaml";
const table = (...rows: string[]) => `Type\tHost\tValue\n${rows.map((row) => row.replaceAll(" | ", "\t")).join("\n")}\n`;
/** Nettlehost as a host that takes nothing but what a person enters into its form. */
const byHand = (settings: string) =>
  settings.replace(
    /(nettlehost:\n {4}title: Nettlehost\n)[\s\S]*?(?=\n {2}\w+:\n {4}title|\n\w)/,
    "$1    publish: { way: by-hand }",
  );

journey("ownership by a TXT token: three commands, and verify pressed too early", async (on) => {
  await on.type(INIT);
  const before = on.commands;
  await on.type("zandrel intake -", 0, on.lab.seekmere.instructions("brackwater.example"));
  await on.next(/^zandrel draft brackwater.example$/);
  await on.next(/^zandrel publish brackwater.example$/);
  await on.type("zandrel prove seekmere-ownership", 1);
  await on.type("zandrel publish brackwater.example");
  await on.type("zandrel watch brackwater.example --until proven");
  expect(await on.states()).toEqual(["seekmere-ownership proven"]);
  expect(on.commands - before).toBeLessThanOrEqual(6);
});

journey("ownership by a CNAME of a service that cannot be asked, confirmed too early", async (on) => {
  await on.type(INIT);
  await on.type(
    "zandrel intake - --add-service Quillmark",
    0,
    "To verify that you own brackwater.example add this CNAME record.\nHost: k7f3a9\nType: CNAME\nValue: verify.seekmere.example\n",
  );
  expect(await on.type("zandrel prove quillmark-ownership --confirmed", 1)).toContain("cannot be proven yet");
  await on.type("zandrel publish brackwater.example");
  await on.next(/^zandrel watch brackwater.example --until proven$/);
  await on.next(/^zandrel prove brackwater\.example\/quillmark-ownership$/);
  await on.type("zandrel prove quillmark-ownership --confirmed --note 'green tick'");
  expect(await on.states()).toEqual(["quillmark-ownership proven"]);
});

journey("ownership by a tag and by a file on the site", async (on) => {
  await on.type(INIT);
  await on.type("zandrel intake - --service seekmere", 0, '<meta name="seekmere-site-proof" content="4f1d0c77a2aa">\n');
  await on.type(
    "zandrel intake - --service seekmere --id seekmere-file",
    0,
    "Upload a file named seekmere.html to https://brackwater.example/seekmere.html that contains: seekmere-owner 4f1d\n",
  );
  expect(await on.states()).toEqual(["seekmere-ownership noted", "seekmere-file noted"]);
  on.lab.web.hosts.set("brackwater.example", {
    kind: "site",
    body: '<html><head><meta name="seekmere-site-proof" content="4f1d0c77a2aa"></head><body></body></html>',
    files: { "/seekmere.html": "seekmere-owner 4f1d" },
  });
  await on.lab.web.certify("brackwater.example");
  expect(await on.states()).toEqual(["seekmere-ownership settled", "seekmere-file settled"]);
  await on.type("zandrel prove seekmere-file --confirmed");
});

journey("a site in two stages, with the parked records and a forgotten IPv6 address in the way", async (on) => {
  await on.type(INIT);
  on.enter("www AAAA 2001:db8::9");
  on.remove("www", "CNAME");
  await on.type("zandrel intake -", 0, on.lab.pagewick.instructions("brackwater.example"));
  await on.type("zandrel publish brackwater.example");
  await on.type("zandrel watch brackwater.example --until proven");
  await on.type("zandrel intake - --service pagewick", 0, on.lab.pagewick.instructions("brackwater.example", "site"));
  const draft = await on.next(/^zandrel draft brackwater.example$/, 1);
  expect(draft).toContain("2001:db8::9");
  expect(await on.type("zandrel publish brackwater.example", 1)).toMatch(/things are in the way/);
  await on.type("zandrel publish brackwater.example --replace @ --replace www");
  await on.type("zandrel watch brackwater.example --until proven");
  await on.type("zandrel site brackwater.example --wait --for 6h");
  expect(await on.states()).toEqual(["pagewick-ownership proven", "pagewick-site proven", "pagewick-ownership-2 proven"]);
});

journey(
  "a shop: addresses, an alias and SPF on one page, entered by hand with every mistake",
  async (on) => {
    await on.type(INIT);
    await on.type(
      "zandrel intake - --service pagewick",
      0,
      table(
        "A | shop | 203.0.113.10",
        "CNAME | pay | pay.pagewick.example",
        "TXT | @ | v=spf1 include:spf.heronpost.example ~all",
      ),
    );
    const sheet = await on.type("zandrel publish brackwater.example");
    expect(sheet).toContain("Change in place");
    expect(await on.type("zandrel status", 1)).toContain("sheet open");
    // The domain doubled, a second SPF record, and the mail servers deleted.
    on.enter(
      'shop.brackwater.example A 203.0.113.10\npay CNAME pay.pagewick.example\n@ TXT "v=spf1 include:spf.heronpost.example ~all"',
    );
    on.remove("@", "MX");
    const check = await on.type("zandrel publish brackwater.example --check", 1);
    expect(check).toMatch(/shop.brackwater.example.brackwater.example/);
    expect(check).toMatch(/2 SPF records/);
    expect(check).toMatch(/deleted too much.*brackwater.example MX/s);
    expect(check).toMatch(/pay.pagewick.example.brackwater.example|target/);
    on.remove("shop.brackwater.example", "A");
    on.remove("pay", "CNAME");
    on.remove("@", "TXT");
    on.enter(
      'shop A 203.0.113.10\npay CNAME pay.pagewick.example.\n@ TXT "v=spf1 include:spf.inglemail.example include:spf.heronpost.example -all"\n@ MX 10 mx1.inglemail.example.',
    );
    expect(await on.type("zandrel publish brackwater.example --check")).toContain("Everything asked for is there");
    expect(await on.next(/^zandrel watch --until proven$/, 1)).toContain("but it is not confirmed");
  },
  byHand,
);

journey(
  "a sheet that is asked for again: what was deleted meanwhile is still missed, until it is said to be meant",
  async (on) => {
    const check = "zandrel publish brackwater.example --check";
    await on.type(INIT);
    await on.type("zandrel intake - --service pagewick", 0, table("A | shop | 203.0.113.10", "A | box | 203.0.113.11"));
    const first = await on.type("zandrel publish brackwater.example");
    on.enter("box A 203.0.113.11");
    on.remove("@", "MX");
    // The same sheet, of which one step is left; then one that says more.
    const again = await on.type("zandrel publish brackwater.example", 1);
    expect([first.match(/203\.0\.113/g)?.length, again.match(/203\.0\.113/g)?.length]).toEqual([2, 1]);
    expect(await on.type(check, 1)).toMatch(/deleted too much.*brackwater.example MX/s);
    await on.type("zandrel intake - --service seekmere", 0, table("TXT | _seek | seek=77aa"));
    await on.type("zandrel publish brackwater.example", 1);
    on.enter('shop A 203.0.113.10\n_seek TXT "seek=77aa"');
    expect(await on.type(check, 1)).toMatch(/deleted too much.*brackwater.example MX/s);
    // Everything asked for is there then, and something is still not as it should be.
    on.lab.clock.leap(60_000);
    expect(await on.type("zandrel status", 1)).toContain("deleted too much");
    expect(await on.type(`${check} --meant www`, 2)).toContain("name one of @");
    expect(await on.type(`${check} --meant @`)).toContain("Everything asked for is there");
    // What was entered at a form counts from when it was seen there.
    on.lab.clock.leap(4 * 3_600_000);
    expect(await on.type("zandrel status")).not.toContain("deleted too much");
    expect(await on.type("zandrel publish brackwater.example --meant @", 2)).toContain("--check --meant");
  },
  byHand,
);

journey("a redirect domain", async (on) => {
  await on.type(INIT);
  await on.type("zandrel init https://PuppetFest.example/ --role redirect --dns-host nettlehost");
  expect(await on.type("zandrel init www.puppetfest.example", 2)).toContain("zandrel init puppetfest.example");
  await on.type(
    "zandrel intake - --service pagewick --domain puppetfest.example --purpose redirect",
    0,
    table("A | @ | 127.53.0.21", "A | www | 127.53.0.21"),
  );
  await on.type("zandrel publish puppetfest.example --replace @ --replace www");
  await on.type("zandrel watch puppetfest.example");
  for (const host of ["puppetfest.example", "www.puppetfest.example"]) {
    on.lab.web.hosts.set(host, { kind: "redirect", to: "brackwater.example" });
    await on.lab.web.certify(host);
  }
  on.lab.web.hosts.set("brackwater.example", { kind: "site" });
  await on.lab.web.certify("brackwater.example");
  expect(await on.type("zandrel site puppetfest.example")).toContain("deep links keep working");
});

journey("a certificate: two requests, one record", async (on) => {
  await on.type(INIT);
  const paste = on.lab.sealbarrow.instructions("brackwater.example");
  await on.type("zandrel intake - --service sealbarrow", 0, paste);
  expect(await on.type("zandrel intake - --service sealbarrow", 0, paste)).toContain("Already saved as sealbarrow-certificate");
  await on.type("zandrel publish brackwater.example");
  await on.type("zandrel watch brackwater.example --until proven");
  expect(await on.states()).toEqual(["sealbarrow-certificate proven"]);
});

journey("a wildcard, and a token below it that would take its site away", async (on) => {
  await on.type(INIT);
  await on.type("zandrel intake - --service pagewick", 0, table("CNAME | *.tour | sites.pagewick.example"));
  expect(await on.type("zandrel publish brackwater.example", 1)).toContain(
    "also answers at names that mail and proofs use, such as _dmarc.tour",
  );
  await on.type("zandrel publish brackwater.example --replace '*.tour'");
  await on.type("zandrel intake - --service seekmere", 0, table("TXT | _seek.york.tour | seek=77aa"));
  expect(await on.type("zandrel publish brackwater.example", 1)).toContain(
    "switches *.tour.brackwater.example off for york.tour.brackwater.example",
  );
  await on.type("zandrel publish brackwater.example --replace _seek.york.tour");
  // A wildcard that says the same needs nothing beside it, however often one looks.
  await on.type("zandrel intake - --service pagewick --id pagewick-york --host x", 2, "");
  await on.type(
    "zandrel intake - --service pagewick --id pagewick-bath --purpose site",
    0,
    table("CNAME | bath.tour | sites.pagewick.example"),
  );
  expect(await on.type("zandrel publish brackwater.example")).toContain("have what is asked for");
});

journey("mailboxes: servers, SPF, a signing key and a policy of one's own, which prove themselves", async (on) => {
  await on.type(INIT);
  await on.type("zandrel intake - --service inglemail", 0, await on.lab.inglemail.page("brackwater.example"));
  await on.type("zandrel dmarc compose brackwater.example --policy none --reports-to dmarc@brackwater.example --write");
  // Inglemail is to look at its records later; the policy is verified by nobody.
  expect(await on.type("zandrel publish brackwater.example")).toMatch(/Do not press verify at Inglemail before 0\d:\d\d\. Next:/);
  on.lab.clock.leap(60_000);
  // Resolvers elsewhere may still hold the old answer, so nobody says yet that everyone sees it.
  expect(await on.states()).toEqual(expect.arrayContaining(["own-mail-dmarc spreading"]));
  await on.type("zandrel watch brackwater.example --until proven");
  expect(await on.states()).toEqual(expect.arrayContaining(["own-mail-dmarc proven"]));
  // A new version of a record of one's own is an update: no name has to be named for it.
  await on.type(
    "zandrel dmarc compose brackwater.example --policy quarantine --reports-to dmarc@brackwater.example --write --force",
  );
  expect(await on.next(/^zandrel draft brackwater.example$/)).toMatch(/p=none[\s\S]*p=quarantine/);
  expect(await on.next(/^zandrel publish brackwater.example$/)).not.toContain("press verify");
  // One that somebody else put there has to be named.
  on.remove("_dmarc", "TXT");
  on.enter('_dmarc TXT "v=DMARC1; p=none"');
  on.lab.clock.leap(60_000);
  await on.type("zandrel dmarc compose brackwater.example --policy none --reports-to dmarc@brackwater.example --write");
  await on.next(/^zandrel draft brackwater.example --replace _dmarc.brackwater.example$/);
});

journey("a sending service: a confirmed address, keys, a bounce host, a tracking host", async (on) => {
  await on.type(INIT);
  await on.type("zandrel intake --kit heronpost --input account=brackwater", 2);
  await on.type("mkdir -p kits");
  const kit = readFileSync(new URL("../../demo/brackwater/kits/heronpost.yaml", import.meta.url), "utf8");
  await on.type("cat > kits/heronpost.yaml", 0, kit);
  await on.type("zandrel intake --kit heronpost --input account=brackwater");
  await on.type("zandrel publish brackwater.example");
  await on.type("zandrel watch brackwater.example");
  await on.type("zandrel sender address heronpost news@brackwater.example", 1);
  expect(await on.type("zandrel status", 1)).toContain("pending");
  const box = join(on.lab.mailboxes, "news@brackwater.example", "new");
  const link = /http:\S+\/open\/\S+/.exec(
    readdirSync(box)
      .map((file) => readFileSync(join(box, file), "latin1"))
      .join("\n"),
  )?.[0];
  await fetch(link as string);
  await on.type("zandrel sender domain heronpost brackwater.example");
  expect(await on.states()).toEqual(expect.arrayContaining([expect.stringMatching(/^heronpost-tracking (?:settled|proven)$/)]));
});

journey("a token and a password in an environment file", async (on) => {
  await on.type(INIT);
  await on.type("zandrel init brackwater-tickets.example --role sending --dns-host nettlehost");
  await on.type(
    "zandrel intake - --domain brackwater-tickets.example --service swiftquill",
    0,
    on.lab.swiftquill.instructions("brackwater-tickets.example"),
  );
  await on.type("zandrel publish brackwater-tickets.example");
  await on.type("zandrel watch brackwater-tickets.example --until proven");
  const printed = await on.type(
    "zandrel sender credential swiftquill --new mail --domain brackwater-tickets.example --environment tickets.env",
  );
  const secret = /=(\S{16,})/.exec(readFileSync(join(on.folder, "tickets.env"), "utf8"))?.[1];
  expect(secret).toBeDefined();
  expect(printed).not.toContain(secret);
});

journey("a project moved from one account to another: the new token takes the old one's place", async (on) => {
  await on.type(INIT);
  await on.type("zandrel intake --service seekmere --type CNAME --host k7f3a9 --value old.seekmere.example");
  await on.type("zandrel publish brackwater.example");
  await on.type("zandrel watch brackwater.example");
  const refused = await on.type(
    "zandrel intake --service seekmere --type CNAME --host k7f3a9 --value new.seekmere.example --purpose site",
    2,
  );
  expect(refused).toContain("--instead-of");
  await on.type(
    "zandrel intake --service seekmere --type CNAME --host k7f3a9 --value new.seekmere.example --instead-of seekmere-site",
  );
  // What Zandrel put there is updated without a word about replacing.
  expect(await on.type("zandrel draft brackwater.example")).toContain("as the new version of old.seekmere.example");
  await on.next(/^zandrel publish brackwater.example$/);
  await on.type("zandrel undo brackwater.example --dry-run");
  expect(await on.type("zandrel retire brackwater.example/seekmere-site")).toContain("Others may still see the old records");
});

journey("the DNS host moved", async (on) => {
  await on.type(INIT);
  await on.type("zandrel relocate capture brackwater.example");
  // The zone is not there yet; somebody uploads what was captured, and first forgets a record.
  await on.next(/^zandrel relocate compare brackwater.example --new-host zonemarrow$/, 1);
  on.upload((zone) => zone.replace(/^box-office.*$/m, ""));
  expect(await on.type("zandrel relocate compare brackwater.example --new-host zonemarrow", 1)).toContain("box-office");
  on.upload();
  await on.type("zandrel relocate compare brackwater.example --new-host zonemarrow");
  // Too early: the registrar still names the old servers.
  await on.next(/^zandrel relocate check brackwater.example --new-host zonemarrow$/, 1);
  on.delegate("ns1.zonemarrow.example", "ns2.zonemarrow.example");
  const moved = await on.type("zandrel relocate check brackwater.example --new-host zonemarrow");
  expect(moved).toContain("Keep the old host until");
  // The domain's file still names the old host, and the line that changes that is printed.
  await on.next(/^zandrel relocate check brackwater.example --new-host zonemarrow --write$/);
  await on.next(/^zandrel draft brackwater.example$/);
  // From now on Zandrel publishes at the new host.
  await on.type("zandrel intake -", 0, on.lab.seekmere.instructions("brackwater.example"));
  await on.next(/^zandrel draft brackwater.example$/);
  expect(await on.next(/^zandrel publish brackwater.example$/)).toContain("Zonemarrow");
});
