import { html } from "./sheet.ts";

/** Colours of every page, mixed for contrast (WCAG 2 AA) on both backgrounds. */
export const PALETTE = `:root{color-scheme:light dark;--ink:#1f2440;--soft:#4d5268;--page:#faf9fc;--card:#fff;--line:#c9c5d6;--ok:#17604f;--bad:#8f2346;--warn:#6d4d10;--go:#3a3f8f}
@media (prefers-color-scheme:dark){:root{--ink:#eceaf4;--soft:#b9b6c9;--page:#191a26;--card:#23253a;--line:#4b4d66;--ok:#7fd6bd;--bad:#f2a0b8;--warn:#e6c37d;--go:#b4b8ff}}`;

const STYLE = `${PALETTE}
*{box-sizing:border-box}

body{font:1rem/1.55 system-ui,sans-serif;color:var(--ink);background:var(--page);margin:0 auto;max-width:64rem;padding:1.5rem 1rem 4rem}

h1{font-size:1.6rem;margin:0 0 .25rem}h2{font-size:1.2rem;margin:2.2rem 0 .5rem}h3{font-size:1rem;margin:1.2rem 0 .3rem}

p{margin:.3rem 0}.lead{font-size:1.08rem;margin:.25rem 0 1rem}.quiet{color:var(--soft)}.ok{color:var(--ok)}.bad{color:var(--bad)}.warn{color:var(--warn)}

a{color:var(--go)}a:focus-visible,summary:focus-visible{outline:3px solid var(--go);outline-offset:2px}

table{border-collapse:collapse;width:100%;font-size:.95rem}th,td{text-align:left;padding:.4rem .6rem;border-bottom:1px solid var(--line);vertical-align:top}

td.number,th.number{text-align:right;font-variant-numeric:tabular-nums;white-space:nowrap}

.short{white-space:nowrap}.wide{overflow-x:auto}ul{margin:.3rem 0;padding-left:1.2rem}

code{font:.92rem/1.45 ui-monospace,"DejaVu Sans Mono",monospace;overflow-wrap:anywhere}

.card{background:var(--card);border:1px solid var(--line);border-radius:.5rem;padding:.8rem 1rem;margin:0 0 .8rem;break-inside:avoid}

figure{margin:.5rem 0;padding:.5rem;overflow-x:auto;background:#fff;color:#1f2440;border:1px solid var(--line);border-radius:.5rem}figure svg{max-width:100%;height:auto;display:block}

nav ul{list-style:none;padding:0;display:flex;flex-wrap:wrap;gap:.3rem 1rem}

.card h3{margin:0 0 .3rem}.card dl{display:grid;grid-template-columns:8.5rem minmax(0,1fr);gap:.2rem .75rem;margin:0}.card dt{color:var(--soft)}.card dd{margin:0}

li.ok,li.bad{list-style:none;margin-left:-1.2rem}

@media (max-width:40rem){thead{display:block;position:absolute;clip-path:inset(50%);width:1px;height:1px;overflow:hidden}figure svg{min-width:40rem}tr{display:block;border-bottom:1px solid var(--line);padding:.4rem 0}th[scope=row],td,td.number{display:block;border:0;padding:.1rem 0;text-align:left}td::before{content:attr(data-label) ": ";color:var(--soft)}.card dl{grid-template-columns:minmax(0,1fr)}}

details{margin:.3rem 0}summary{cursor:pointer}

@media print{body{background:#fff;max-width:none;padding:0}a{color:inherit;text-decoration:none}h2,h3,tr,.card,figure{break-inside:avoid}}`;

/** A page that needs nothing but itself: no script, no other file; `title` is also its heading, `body` is HTML. */
export const page = ({ title, body }: { readonly title: string; readonly body: string }): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; img-src data:">
<title>${html(title)}</title>
<style>
${STYLE}
</style>
</head>
<body>
<main>
<h1>${html(title)}</h1>
${body}
</main>
</body>
</html>
`;
