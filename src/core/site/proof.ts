import { Parser } from "htmlparser2";
import { type Clause, clause, NOTHING } from "../clause/index.ts";
import { covers, type Fetched, type Page } from "./judge.ts";

/** A proof of ownership on the web: a meta tag in a page, or a file with a text. */
export type WebProof =
  | { readonly kind: "meta"; readonly url: string; readonly name: string; readonly content: string }
  | { readonly kind: "file"; readonly url: string; readonly text: string };

export interface WebVerdict {
  readonly found: boolean | undefined;
  readonly because: Clause;
  readonly remedy: Clause;
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
function distrustOf({ url, certificate }: Page): Clause | undefined {
  if (certificate === undefined) return undefined;
  if (!covers(certificate, new URL(url).hostname)) return clause("proof-certificate-other", { url, names: certificate.names });
  return certificate.distrust === undefined ? undefined : clause("proof-certificate-untrusted", { url });
}

/** Whether a page or file proves what a service wants, and what went wrong where it does not. */
export function judgeProof(proof: WebProof, fetched: Fetched): WebVerdict {
  const not = (because: Clause, remedy: Clause): WebVerdict => ({ found: false, because, remedy });
  if ("none" in fetched)
    return {
      found: fetched.none.kind === "unresolved" ? false : undefined,
      because: fetched.none.detail,
      remedy: clause("proof-see-site"),
    };
  const { page } = fetched;
  const untrusted = distrustOf(page);
  if (untrusted !== undefined) return not(untrusted, clause("proof-certificate-mend"));
  if (page.location !== undefined)
    return not(clause("proof-redirects", { url: proof.url, location: page.location }), clause("proof-redirects-mend"));
  if (page.status !== 200)
    return not(
      clause("proof-status", { url: proof.url, status: page.status }),
      proof.kind === "file" ? clause("proof-file-address") : clause("proof-login"),
    );
  const cut: WebVerdict = {
    found: undefined,
    because: clause("proof-cut", { url: proof.url }),
    remedy: proof.kind === "file" ? clause("proof-upload-as-given") : clause("proof-cut-meta-mend"),
  };
  if (proof.kind === "file") {
    const seen = page.body.replace(/^\ufeff/, "").trim();
    if (seen === proof.text.trim())
      return { found: true, because: clause("proof-file-right", { url: proof.url }), remedy: NOTHING };
    if (seen.includes(proof.text.trim()))
      return not(clause("proof-other-around", { url: proof.url }), clause("proof-other-around-mend"));
    if (page.cut === true) return cut;
    return not(
      /<html\b/i.test(seen) ? clause("proof-page-instead", { url: proof.url }) : clause("proof-other-text", { url: proof.url }),
      clause("proof-upload-as-given"),
    );
  }
  const { tags, comments } = readHead(page.body);
  const named = tags.filter(({ attributes }) => attributes.name?.toLowerCase() === proof.name.toLowerCase());
  const right = named.find(({ attributes }) => attributes.content?.trim() === proof.content);
  if (right !== undefined && !right.inBody)
    return { found: true, because: clause("proof-meta-right", { url: proof.url }), remedy: NOTHING };
  if (right !== undefined) return not(clause("proof-meta-in-body", { url: proof.url }), clause("proof-meta-in-body-mend"));
  if (named.length === 0 && comments.some((text) => text.toLowerCase().includes(proof.name.toLowerCase())))
    return not(clause("proof-meta-in-comment", { url: proof.url }), clause("proof-meta-in-comment-mend"));
  if (page.body.includes("&lt;meta") && page.body.includes(proof.content))
    return not(clause("proof-meta-as-text", { url: proof.url }), clause("proof-meta-as-text-mend"));
  if (named.length > 0)
    return not(clause("proof-meta-other-content", { url: proof.url, name: proof.name }), clause("proof-meta-other-content-mend"));
  if (page.cut === true) return cut;
  return not(clause("proof-meta-missing", { url: proof.url, name: proof.name }), clause("proof-meta-missing-mend"));
}
