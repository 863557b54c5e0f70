import { Parser } from "htmlparser2";
import type { Fetched } from "./judge.ts";

/** A proof of ownership on the web: a meta tag in a page, or a file with a text. */
export type WebProof =
  | { readonly kind: "meta"; readonly url: string; readonly name: string; readonly content: string }
  | { readonly kind: "file"; readonly url: string; readonly text: string };

export interface WebVerdict {
  readonly found: boolean | undefined;
  readonly because: string;
  readonly remedy: string;
}

/** The attributes of every meta tag of a page; `inBody` for tags behind the head. */
function metaTags(body: string): { attributes: Readonly<Record<string, string>>; inBody: boolean }[] {
  const tags: { attributes: Readonly<Record<string, string>>; inBody: boolean }[] = [];
  let inBody = false;
  const reader = new Parser({
    onopentag(tag, attributes) {
      if (tag === "body") inBody = true;
      if (tag === "meta") tags.push({ attributes, inBody });
    },
    onclosetag(tag) {
      if (tag === "head") inBody = true;
    },
  });
  reader.end(body);
  return tags;
}

/** Whether a page or file proves what a service wants, and what went wrong where it does not. */
export function judgeProof(proof: WebProof, fetched: Fetched): WebVerdict {
  const not = (because: string, remedy: string): WebVerdict => ({ found: false, because, remedy });
  if ("none" in fetched)
    return {
      found: fetched.none.kind === "unresolved" ? false : undefined,
      because: fetched.none.detail,
      remedy: "see that the site answers, then try again",
    };
  const { page } = fetched;
  if (page.location !== undefined)
    return not(
      `${proof.url} redirects to ${page.location}, and many services do not follow`,
      "let the address answer by itself, or give the service the address it redirects to",
    );
  if (page.status !== 200)
    return not(
      `${proof.url} answers with status ${page.status}`,
      proof.kind === "file" ? "upload the file to exactly this address" : "see that the page can be read without logging in",
    );
  if (proof.kind === "file") {
    const seen = page.body.replace(/^\ufeff/, "").trim();
    if (seen === proof.text.trim()) return { found: true, because: `${proof.url} holds the text`, remedy: "" };
    if (seen.includes(proof.text.trim()))
      return not(`${proof.url} holds other text around it`, "upload the file as the service gave it, not as a page of the site");
    return not(
      /<html\b/i.test(seen) ? `${proof.url} shows a page of the site instead of the file` : `${proof.url} holds another text`,
      "upload the file as the service gave it",
    );
  }
  const tags = metaTags(page.body);
  const named = tags.filter(({ attributes }) => attributes.name?.toLowerCase() === proof.name.toLowerCase());
  const right = named.find(({ attributes }) => attributes.content?.trim() === proof.content);
  if (right !== undefined && !right.inBody) return { found: true, because: `${proof.url} has the meta tag`, remedy: "" };
  if (right !== undefined)
    return not(
      `the meta tag stands in the body of ${proof.url}, where services do not look`,
      "put it into the head of the page, in front of </head>",
    );
  if (new RegExp(`<!--[\\s\\S]*?${proof.name.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}`, "i").test(page.body) && named.length === 0)
    return not(`the meta tag of ${proof.url} is inside a comment`, "take it out of the comment");
  if (page.body.includes("&lt;meta") && page.body.includes(proof.content))
    return not(
      `${proof.url} shows the meta tag as text, because the editor escaped it`,
      "enter it in the field for code in the head, not in the page's text",
    );
  if (named.length > 0)
    return not(`${proof.url} has the meta tag ${proof.name} with another content`, "copy the content again from the service");
  return not(`${proof.url} has no meta tag ${proof.name}`, "put it into the head of the page, and publish the page");
}
