import { Parser } from "htmlparser2";
import { covers, type Fetched, type Page } from "./judge.ts";

/** A proof of ownership on the web: a meta tag in a page, or a file with a text. */
export type WebProof =
  | { readonly kind: "meta"; readonly url: string; readonly name: string; readonly content: string }
  | { readonly kind: "file"; readonly url: string; readonly text: string };

export interface WebVerdict {
  readonly found: boolean | undefined;
  readonly because: string;
  readonly remedy: string;
}

/** The meta tags of a page with their attributes, `inBody` for those behind the head, and the comments of the page. */
function readHead(body: string): {
  readonly tags: readonly { attributes: Readonly<Record<string, string>>; inBody: boolean }[];
  readonly comments: readonly string[];
} {
  const comments: string[] = [];
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
    oncomment: (text) => void comments.push(text),
  });
  reader.end(body);
  return { tags, comments };
}

/** Why the certificate of a page says nothing about whose it is; undefined where it does, and for pages without one. */
function distrustOf({ url, certificate }: Page): string | undefined {
  if (certificate === undefined) return undefined;
  if (!covers(certificate, new URL(url).hostname))
    return `for ${certificate.names.length === 0 ? "no name" : certificate.names.slice(0, 3).join(", ")}`;
  return certificate.distrust === undefined ? undefined : "that is not trusted";
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
  const untrusted = distrustOf(page);
  if (untrusted !== undefined)
    return not(
      `${proof.url} answers with a certificate ${untrusted}, so that nobody can tell whose page it is`,
      "wait for the site builder to issue the certificate, or correct where the name leads",
    );
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
  const cut: WebVerdict = {
    found: undefined,
    because: `${proof.url} is longer than is read of a page, and its beginning does not hold it`,
    remedy: proof.kind === "file" ? "upload the file as the service gave it" : "put the meta tag at the beginning of the head",
  };
  if (proof.kind === "file") {
    const seen = page.body.replace(/^\ufeff/, "").trim();
    if (seen === proof.text.trim()) return { found: true, because: `${proof.url} holds the text`, remedy: "" };
    if (seen.includes(proof.text.trim()))
      return not(`${proof.url} holds other text around it`, "upload the file as the service gave it, not as a page of the site");
    if (page.cut === true) return cut;
    return not(
      /<html\b/i.test(seen) ? `${proof.url} shows a page of the site instead of the file` : `${proof.url} holds another text`,
      "upload the file as the service gave it",
    );
  }
  const { tags, comments } = readHead(page.body);
  const named = tags.filter(({ attributes }) => attributes.name?.toLowerCase() === proof.name.toLowerCase());
  const right = named.find(({ attributes }) => attributes.content?.trim() === proof.content);
  if (right !== undefined && !right.inBody) return { found: true, because: `${proof.url} has the meta tag`, remedy: "" };
  if (right !== undefined)
    return not(
      `the meta tag stands in the body of ${proof.url}, where services do not look`,
      "put it into the head of the page, in front of </head>",
    );
  if (named.length === 0 && comments.some((text) => text.toLowerCase().includes(proof.name.toLowerCase())))
    return not(`the meta tag of ${proof.url} is inside a comment`, "take it out of the comment");
  if (page.body.includes("&lt;meta") && page.body.includes(proof.content))
    return not(
      `${proof.url} shows the meta tag as text, because the editor escaped it`,
      "enter it in the field for code in the head, not in the page's text",
    );
  if (named.length > 0)
    return not(`${proof.url} has the meta tag ${proof.name} with another content`, "copy the content again from the service");
  if (page.cut === true) return cut;
  return not(`${proof.url} has no meta tag ${proof.name}`, "put it into the head of the page, and publish the page");
}
