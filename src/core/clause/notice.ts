/** What is said of telling notices to somebody. */
export interface NoticeClauses {
  "notice-http-status": { readonly host: string; readonly status: number };
  "notice-no-answer": { readonly host: string; readonly seconds: number };
  "notice-unreachable": { readonly host: string; readonly why: string };
  "notice-taken": { readonly title: string };
}
