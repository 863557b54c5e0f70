import { DAY_MS } from "../core/day.ts";
import type { Lab } from "./lab.ts";

/** A message as the theatre's own programs write it. */
function letter(from: string, to: string, subject: string, now: number, number: number): Buffer {
  const domain = from.slice(from.indexOf("@") + 1);
  return Buffer.from(
    `From: Brackwater Puppet Theatre <${from}>\r\nTo: ${to}\r\nSubject: ${subject}\r\nDate: ${new Date(now).toUTCString().replace("GMT", "+0000")}\r\nMessage-ID: <${now.toString(36)}.${number}@${domain}>\r\nMIME-Version: 1.0\r\nContent-Type: text/plain; charset=utf-8\r\nList-Unsubscribe: <https://${domain}/leave>\r\nList-Unsubscribe-Post: List-Unsubscribe=One-Click\r\n\r\nCurtain up at half past seven.\r\n`,
  );
}

/** How much of each is sent on one day. */
const EACH_DAY = { newsletters: 6, letters: 3, throughTheList: 1, forged: 2 } as const;

/**
 * Lets days pass at the theatre: newsletters through Heronpost, letters from the box office through Inglemail, one of
 * them by way of a mailing list, and somebody who forges. Each day ends with Mallowmail's report on it.
 */
export async function passDays(lab: Lab, days: number): Promise<void> {
  const { clock, heronpost, inglemail, mallowmail, thirdParties } = lab;
  let number = 0;
  const several = <T>(count: number, one: (number: number) => Promise<T>) =>
    Promise.all(Array.from({ length: count }, () => one(number++)));
  // A day's report is on its way while the next day begins.
  let reported: Promise<unknown> = Promise.resolve();
  for (let day = 0; day < days; day++) {
    const now = clock.now();
    await Promise.all([
      several(EACH_DAY.newsletters, (i) =>
        heronpost.send(
          "news@brackwater.example",
          `reader${i % 9}@mallowmail.example`,
          letter("news@brackwater.example", "readers", "This week on stage", now, i),
        ),
      ),
      several(EACH_DAY.letters, (i) =>
        inglemail.send(
          "box@brackwater.example",
          `guest${i % 9}@mallowmail.example`,
          letter("box@brackwater.example", "guest", "Your seats", now, i),
        ),
      ),
      several(EACH_DAY.throughTheList, (i) =>
        inglemail.send(
          "box@brackwater.example",
          "guild@lists.puppetry-guild.example",
          letter("box@brackwater.example", "guild", "Strings wanted", now, i),
        ),
      ),
      several(EACH_DAY.forged, (i) => thirdParties.forge("tickets@brackwater.example", `guest${i % 9}@mallowmail.example`)),
    ]);
    await Promise.all([heronpost.quiet(), inglemail.quiet()]);
    await reported;
    clock.leap(DAY_MS - (clock.now() % DAY_MS) + 7 * 3_600_000);
    reported = mallowmail.reportDaysThatAreOver();
  }
  await reported;
}
