import { deliver, listenMail, type MailWorld } from "./mail-host.ts";

/** Those whose mail makes reports interesting: somebody who forges, and a mailing list that adds a footer. */
export interface ThirdParties {
  /** Sends a message in somebody's name; gives back what the receiver said. */
  forge(from: string, to: string): Promise<string>;
  close(): Promise<void>;
}

export async function startThirdParties(addresses: { forger: string; guild: string }, world: MailWorld): Promise<ThirdParties> {
  const resolver = world.resolver();
  const listHost = "lists.puppetry-guild.example";
  const stop = await listenMail(
    {
      address: addresses.guild,
      port: world.ports.exchange,
      host: listHost,
      recipient: (to) => (to.endsWith(`@${listHost}`) ? undefined : { code: 550, text: "5.7.1 no list of that name" }),
      async message({ octets }) {
        const changed = Buffer.concat([
          Buffer.from(octets.toString("latin1").replace(/^Subject: /m, "Subject: [guild] "), "latin1"),
          Buffer.from("\r\n-- \r\nThe puppetry guild's list. Leave it whenever you like.\r\n"),
        ]);
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
  return {
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
    close: stop,
  };
}
