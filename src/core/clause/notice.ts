import type { Nothing } from "./nothing.ts";

/** What is said of telling notices to somebody. */
export interface NoticeClauses {
  "notice-http-status": { readonly host: string; readonly status: number };
  "notice-no-answer": { readonly host: string; readonly seconds: number };
  "notice-unreachable": { readonly host: string; readonly why: string };
  "notice-way-post": { readonly host: string };
  "notice-way-program": { readonly command: string };
  "notice-way-mail": { readonly to: string };
  "notice-way-shown": Nothing;
}
