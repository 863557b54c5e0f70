import type { PreparedLogo } from "../../app/logo/prepare.ts";
import { inWords } from "../clauses/index.ts";
import { page } from "../page.ts";
import { html } from "../sheet.ts";

/** Sizes at which mailboxes show a logo, in pixels. */
const SIZES = [24, 32, 48, 64, 96] as const;

/** A drawing as a picture: a browser runs nothing and fetches nothing of it then. */
const picture = (octets: Buffer | string, size: number, crop: "round" | "square", what: string): string =>
  `<img src="data:image/svg+xml;base64,${Buffer.from(octets).toString("base64")}" alt="${html(what)}" width="${size}" height="${size}" style="object-fit:contain;border-radius:${crop === "round" ? "50%" : "12%"}">`;

const row = (octets: Buffer | string, what: string): string =>
  (["light", "dark"] as const)
    .map(
      (ground) =>
        `<p style="background:${ground === "light" ? "#fff" : "#191a26"};padding:.8rem;border-radius:.5rem;display:flex;gap:1rem;align-items:center;flex-wrap:wrap">${(["round", "square"] as const).flatMap((crop) => SIZES.map((size) => picture(octets, size, crop, `${what}, ${crop}, ${size} pixels`))).join("")}</p>`,
    )
    .join("");

/** One message of a list, as a mailbox shows it. */
const line = (octets: Buffer | string, title: string): string =>
  `<p style="display:flex;gap:.8rem;align-items:center">${picture(octets, 40, "round", title)}<span><strong>${html(title)}</strong><br><span class="quiet">This week on stage: three strings, one fox</span></span></p>`;

/** One self-contained page with a drawing before and after it was made clean. */
export function logoPage({ result, before, after }: PreparedLogo): string {
  const said = (list: readonly string[]): string =>
    list.length === 0 ? "" : `<ul>${list.map((one) => `<li>${html(one)}</li>`).join("")}</ul>`;
  const clean = result.into !== null;
  return page({
    title: "The logo beside the name",
    body: [
      `<p class="lead">${clean ? "Both have to look the same: below is the drawing as it was, and as mailbox providers want it." : "This drawing cannot be made clean without changing how it looks; what is in the way is below."}</p>`,
      `<h2>As it was</h2>${row(before, "as it was")}`,
      ...(after === ""
        ? []
        : [`<h2>${clean ? "As mailbox providers want it" : "As far as it could be made clean"}</h2>${row(after, "clean")}`]),
      `<h2>In a list of messages</h2>${line(after === "" ? before : after, "Brackwater Puppet Theatre")}`,
      `<h2>What was done</h2>${said(result.done.map(inWords)) || "<p>Nothing had to be done.</p>"}`,
      ...(result.offences.length === 0
        ? []
        : [
            `<h2>What is in the way</h2>${said(result.offences.map(({ line: at, because }) => `line ${at}: ${inWords(because)}`))}`,
          ]),
    ].join("\n"),
  });
}
