import { generateKeyPairSync, type KeyObject } from "node:crypto";
import { makeSet } from "../core/arc/index.ts";
import { BodyHash } from "../core/dkim/index.ts";
import { type HeaderField, scanMessage } from "../core/message/index.ts";
import { name } from "../core/name/index.ts";
import { authenticationResults, judgeMessage } from "../core/verdict/index.ts";
import type { AuthorityHost } from "./authority.ts";
import { type Arrival, deliver, listenMail, type MailWorld } from "./mail-host.ts";

/** How a mailing list seals what it forwards (RFC 8617): rightly, in a way that breaks the chain, or not at all. */
export const SEALINGS = ["seals", "breaks", "none"] as const;
export type Sealing = (typeof SEALINGS)[number];

/** The mailing list's name, and where the key of its seals is. */
const LIST = "lists.puppetry-guild.example";
const SELECTOR = "ring";

/** What the list makes of a message: its subject marked, a footer behind it. */
const changedByList = (octets: Buffer): Buffer =>
  Buffer.concat([
    Buffer.from(octets.toString("latin1").replace(/^Subject: /m, "Subject: [guild] "), "latin1"),
    Buffer.from("\r\n-- \r\nThe puppetry guild's list. Leave it whenever you like.\r\n"),
  ]);

/** A message with the set that the list adds: what it saw on arrival, sealed over the message as it goes out. */
async function sealed(
  { octets, ip, helo, mailFrom }: Arrival,
  {
    sealing,
    key,
    world,
    resolver,
  }: { sealing: Sealing; key: KeyObject; world: MailWorld; resolver: ReturnType<MailWorld["resolver"]> },
): Promise<Buffer> {
  const out = changedByList(octets);
  const now = Math.floor(world.clock.now() / 1000);
  const judged = await judgeMessage({ chunks: () => [octets] }, { envelope: { ip, helo, mailFrom }, lookup: resolver, now });
  if (!judged.ok || sealing === "none") return out;
  const body = new BodyHash("relaxed");
  const header = await scanMessage({ chunks: () => [out] }, () => [body]);
  const { forwarded } = judged.value;
  const set = header.ok
    ? makeSet(header.value, body, {
        domain: name(LIST),
        selector: SELECTOR,
        key,
        results: authenticationResults(LIST, judged.value).replace(/^Authentication-Results: /, ""),
        cv: forwarded === undefined ? "none" : forwarded.chain.result === "pass" ? "pass" : "fail",
        sealedAt: now,
      })
    : undefined;
  // A gateway behind the list that writes its own name into what was sealed breaks it.
  const written = ({ raw }: HeaderField): string => (sealing === "breaks" ? raw.replace(LIST, `gateway.${LIST}`) : raw);
  return Buffer.concat([Buffer.from((set ?? []).map((one) => `${written(one)}\r\n`).join(""), "latin1"), out]);
}

/** Those whose mail makes reports interesting: somebody who forges, and a mailing list that adds a footer. */
export interface ThirdParties {
  /** Sends a message in somebody's name; gives back what the receiver said. */
  forge(from: string, to: string): Promise<string>;
  /** What the mailing list does about ARC, from the next message on. */
  sealing: Sealing;
  close(): Promise<void>;
}

export async function startThirdParties(
  addresses: { forger: string; guild: string },
  world: MailWorld,
  host: Pick<AuthorityHost, "preset">,
): Promise<ThirdParties> {
  const resolver = world.resolver();
  const listHost = LIST;
  const keys = generateKeyPairSync("ed25519");
  const published = keys.publicKey.export({ type: "spki", format: "der" }).subarray(-32).toString("base64");
  host.preset(name("puppetry-guild.example"), {
    name: name(`${SELECTOR}._domainkey.${LIST}`),
    type: "TXT",
    ttl: 3600,
    data: [{ strings: [`v=DKIM1; k=ed25519; p=${published}`] }],
  });
  const parties: ThirdParties = {
    sealing: "seals",
    async forge(from, to) {
      const now = new Date(world.clock.now()).toUTCString().replace("GMT", "+0000");
      const id = `${world.clock.now()}.${process.hrtime.bigint()}@mail.cheap-seats.example`;
      const text = `From: ${from}\r\nTo: ${to}\r\nSubject: Your seats are about to be given away\r\nDate: ${now}\r\nMessage-ID: <${id}>\r\n\r\nPay at once at http://cheap-seats.example/ or lose them.\r\n`;
      const outcome = await deliver(
        { from: "boss@cheap-seats.example", to, octets: Buffer.from(text) },
        { address: addresses.forger, helo: "mail.cheap-seats.example" },
        world,
        resolver,
      );
      return outcome.kind === "failed" ? "4.4.1 the mail server could not be reached" : outcome.reply;
    },
    close: () => stop(),
  };
  const stop = await listenMail(
    {
      address: addresses.guild,
      port: world.ports.exchange,
      host: listHost,
      recipient: (to) => (to.endsWith(`@${listHost}`) ? undefined : { code: 550, text: "5.7.1 no list of that name" }),
      async message(arrival) {
        const changed = await sealed(arrival, { sealing: parties.sealing, key: keys.privateKey, world, resolver });
        const outcome = await deliver(
          { from: `guild-bounces@${listHost}`, to: "member@mallowmail.example", octets: changed },
          { address: addresses.guild, helo: listHost },
          world,
          resolver,
        );
        return outcome.kind === "refused" ? { code: 550, text: outcome.reply.replace(/^\d{3}[ -]/, "") } : undefined;
      },
    },
    world,
  );
  return parties;
}
