import { readFileSync, writeFileSync } from "node:fs";
import { createServer as createHttp } from "node:http";
import { join } from "node:path";
import { everythingHere, folder, listenTcp, listenUdp, note, run, sentence } from "./base.mjs";

/** How long a page may take, with everything else that a look takes (seconds): reading it is a small part of that. */
const LONGEST = 20;
const many = (text, octets = 500_000) => text.repeat(Math.ceil(octets / text.length));

/** Pages that cost a reader more than they should, or say what they should not be believed. */
const PAGES = {
  "only <": many("<"),
  "only >": many(">"),
  "only &": many("&"),
  "only quotes": `<meta name=${many('"')}`,
  "open tags": many("<a "),
  deep: many("<div>"),
  "deep and closed": many("<b>", 200_000) + many("</b>", 200_000),
  "closing tags": many("</a>"),
  "open comments": many("<!--"),
  "comments that end wrong": many("<!----!"),
  "open CDATA": many("<![CDATA["),
  "processing instructions": many("<?x "),
  attributes: `<meta ${many('a="1" ')}>`,
  "one attribute": `<meta name="x" content="${many("y")}">`,
  "attributes without end": `<meta ${many("a=")}`,
  "blanks in a tag": `<meta${many(" ")}>`,
  metas: many('<meta name="x" content="y">'),
  "metas in scripts": `<script>${many('<meta name="seek" content="page-1">')}`,
  "a textarea": `<textarea>${many('<meta name="seek" content="page-1">')}`,
  "a template": `<template>${many('<meta name="seek" content="page-1">')}`,
  entities: many("&amp;"),
  "entities that are none": many("&#x110000;"),
  "entities without end": many("&a"),
  numbers: many("&#9"),
  nulls: many("\u0000"),
  "line ends": many("\r\n"),
  "right to left": many("\u202e<p>"),
  "control characters": `<title>${many("\u001b]0;owned\u0007\u009b31m", 5000)}</title>`,
  "tables in tables": many("<table><tr><td>"),
  selects: many("<select><option>"),
  frames: many("<iframe srcdoc='<iframe "),
  refresh: many('<meta http-equiv="refresh" content="0;url=//elsewhere.example/">'),
};

export async function markup() {
  let page = "";
  let fetched = 0;
  const server = createHttp((_, reply) => {
    fetched += 1;
    reply.writeHead(200, { "content-type": "text/html" }).end(page);
  });
  const port = await listenTcp(server);
  const dns = await listenUdp(everythingHere);
  const here = folder();
  await run(here, ["init", "brackwater.example"]);
  const settings = join(here, "zandrel.yaml");
  writeFileSync(settings, `${readFileSync(settings, "utf8")}  webPorts: { http: ${port}, https: ${port} }\n`);
  await run(here, ["intake", "--add-service", "Seekmere"], { input: '<meta name="seek" content="page-1">' });
  for (const [title, text] of Object.entries(PAGES)) {
    page = text;
    const before = fetched;
    for (const argv of [["site", "brackwater.example"], ["status"]]) {
      const ran = await run(here, [...argv, "--resolver", dns.address, "--timeout", "2"]);
      const raw = /[\x00-\x08\x0b-\x1f\x7f-\x9f\u202e]/.test(ran.out + ran.err);
      note(
        "hostile markup",
        sentence(ran) !== true
          ? sentence(ran)
          : raw
            ? "control characters came through"
            : ran.seconds > LONGEST
              ? `${ran.seconds} s`
              : true,
        `${argv.join(" ")}: ${title}`,
      );
    }
    note("hostile markup", fetched > before || "nobody fetched the page", title);
  }
  server.closeAllConnections();
  server.close();
  dns.close();
}
