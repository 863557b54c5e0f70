const ESCAPES: Readonly<Record<string, string>> = { "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" };
/** A text inside a page. */
export const html = (text: string): string => text.replace(/[&<>"]/g, (character) => ESCAPES[character] as string);

const STYLE =
  "body{font:1rem/1.5 system-ui,sans-serif;max-width:50rem;margin:1.5rem auto;padding:0 1rem;color:#23263a;background:#fbfafd}table{border-collapse:collapse;width:100%}td,th{text-align:left;padding:.3rem .6rem;border-bottom:1px solid #cfcbdb;vertical-align:top}code{overflow-wrap:anywhere}input,select,button{font:inherit;padding:.2rem .4rem}.said{border:2px solid #8f2346;padding:.5rem .8rem}";

/** A whole page. */
export const page = (title: string, body: string): string =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${html(title)}</title><style>${STYLE}</style></head><body><h1>${html(title)}</h1>${body}</body></html>`;
