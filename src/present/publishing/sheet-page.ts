import type { SheetState } from "../../app/publishing/sheet-page.ts";
import { displayName } from "../../core/name/index.ts";
import { inWords } from "../clauses/index.ts";
import { YOUR_HOST } from "../lines.ts";
import { PALETTE } from "../page.ts";
import { visible } from "../safe.ts";
import { fieldsOf, html, TITLES } from "../sheet.ts";
import { deadline } from "../time.ts";

/** What the page's script is told again and again. */
export interface SheetNews {
  /** One word a step: `done`, `open`, or `unknown`. */
  readonly steps: readonly ("done" | "open" | "unknown")[];
  readonly slips: readonly { readonly because: string; readonly remedy: string }[];
  readonly headline: string;
  /** Milliseconds until everyone sees it; null before all is entered. */
  readonly left: number | null;
  readonly done: boolean;
}

/** A clause at the beginning of a sentence. */
const capital = (text: string): string => `${text[0]?.toUpperCase() ?? ""}${text.slice(1)}`;

/** The state of a sheet for its page. */
export function sheetNews(state: SheetState): SheetNews {
  const { steps, slips, visibleBy, done, at } = state;
  return {
    steps: steps.map((step) => (step.done === undefined ? "unknown" : step.done ? "done" : "open")),
    slips: slips.map(({ because, remedy }) => ({ because: visible(inWords(because)), remedy: visible(inWords(remedy)) })),
    headline: visible(headlineOf(state)),
    left: visibleBy === undefined ? null : Math.max(0, visibleBy - at),
    done,
  };
}

function headlineOf({ steps, slips, host, visibleBy, at, done }: SheetState): string {
  const there = steps.filter((step) => step.done === true).length;
  if (slips.length > 0)
    return `${there} of ${steps.length} steps are done, and ${slips.length === 1 ? "something is" : `${slips.length} things are`} not right yet.`;
  if (!done) return `${there} of ${steps.length} steps are done at ${host ?? YOUR_HOST}.`;
  return visibleBy === undefined || visibleBy <= at
    ? "Everything is entered, and everyone sees it."
    : `Everything is entered. Everyone sees it by ${deadline(visibleBy, at)} at the latest.`;
}

const STYLE = `
${PALETTE}

*{box-sizing:border-box}

body{font:1rem/1.5 system-ui,sans-serif;color:var(--ink);background:var(--page);margin:0 auto;max-width:52rem;padding:1.5rem 1rem 4rem}

h1{font-size:1.5rem;margin:0 0 .25rem}h2{font-size:1.05rem;margin:0}.lead{color:var(--soft);margin:.25rem 0 1rem}

.news{border:2px solid var(--go);border-radius:.5rem;padding:.75rem 1rem;margin:0 0 1rem;background:var(--card);position:sticky;top:.5rem}

.news p{margin:0}.left{font-variant-numeric:tabular-nums;color:var(--soft)}

ol{list-style:none;margin:0;padding:0}

li.step{background:var(--card);border:1px solid var(--line);border-left:.4rem solid var(--go);border-radius:.5rem;margin:0 0 1rem;padding:.8rem 1rem;break-inside:avoid}

li.step.delete{border-left-color:var(--bad)}li.step.done{border-left-color:var(--ok)}

.top{display:flex;gap:.75rem;align-items:baseline;flex-wrap:wrap}.tick{font-weight:600;color:var(--soft)}.done .tick{color:var(--ok)}

.why{color:var(--soft);margin:.1rem 0 .4rem}

dl{display:grid;grid-template-columns:6.5rem minmax(0,1fr) auto;gap:.35rem .75rem;margin:0;align-items:start}

dt{color:var(--soft)}dd{margin:0}code{font:.95rem/1.45 ui-monospace,"DejaVu Sans Mono",monospace;overflow-wrap:anywhere}

button{font:inherit;font-size:.9rem;padding:.2rem .7rem;border:1px solid var(--go);border-radius:.35rem;background:transparent;color:var(--go);cursor:pointer;white-space:nowrap}

button:focus-visible,a:focus-visible{outline:3px solid var(--go);outline-offset:2px}.note{color:var(--warn);margin:.5rem 0 0}

.slips{border:2px solid var(--bad);border-radius:.5rem;padding:.75rem 1rem;margin:0 0 1rem;background:var(--card)}.slips h2{color:var(--bad)}

.slips ul{margin:.4rem 0 0;padding-left:1.2rem}

[hidden]{display:none}@media (max-width:30rem){dl{grid-template-columns:minmax(0,1fr)}dt{margin-top:.4rem}}

@media print{.news{position:static}button,.left{display:none}body{background:#fff}}
`;

/** Keeps the page alive: copies, ticks, counts down. It reads one address, its own state. */
const SCRIPT = `
const said=(id,text)=>{const at=document.getElementById(id);if(at.textContent!==text)at.textContent=text};
document.addEventListener("click",async(event)=>{const button=event.target.closest("button[data-copy]");if(!button)return;
const text=document.getElementById(button.dataset.copy).textContent;
try{await navigator.clipboard.writeText(text)}catch{const area=document.createElement("textarea");area.value=text;document.body.append(area);area.select();document.execCommand("copy");area.remove();button.focus()}
const label=button.textContent;button.textContent="Copied";setTimeout(()=>{button.textContent=label},1500)});
let until=null;const two=(n)=>String(n).padStart(2,"0");
const count=()=>{if(until===null)return said("left","");const s=Math.max(0,Math.round((until-performance.now())/1000));said("left",s===0?"":"Time left: "+Math.floor(s/3600)+":"+two(Math.floor(s/60)%60)+":"+two(s%60))};
const WORDS={done:"✓ seen by the name servers",open:"○ not there yet",unknown:"? could not be asked"};
let failed=0;
const look=async()=>{try{const answer=await fetch("state",{cache:"no-store"});if(!answer.ok)throw 0;const news=await answer.json();failed=0;
if(news.trouble){said("headline",news.trouble);setTimeout(look,5000);return}
said("headline",news.headline);until=news.left===null?null:performance.now()+news.left;
news.steps.forEach((word,i)=>{const step=document.getElementById("step-"+i);step.classList.toggle("done",word==="done");said("tick-"+i,WORDS[word])});
const slips=document.getElementById("slips");slips.hidden=news.slips.length===0;
document.getElementById("slip-list").replaceChildren(...news.slips.map(({because,remedy})=>{const item=document.createElement("li");item.textContent=because+". Do: "+remedy+".";return item}));
document.getElementById("verify").hidden=!news.done;if(news.done)return}
catch{failed+=1;if(failed>=3)said("headline","Zandrel is not running any more. This page shows what it saw last; start zandrel publish --page again to go on.")}
setTimeout(look,failed>0?5000:2500)};
setInterval(count,1000);look();
`;

/** The sheet as a page with live ticks; without script it is the sheet alone. */
export function livePage(state: SheetState, nonce: string): string {
  const { domain, host, steps, slips, verify, done } = state;
  const cards = steps.map(({ entry, because, done: there }, i) => {
    const fields = fieldsOf(entry).map(([label, value], j) => {
      const id = `field-${i}-${j}`;
      const copy =
        value.startsWith("(") || entry.action === "delete" || label === "Value now"
          ? ""
          : `<button type="button" data-copy="${id}" aria-label="Copy ${label.toLowerCase()} of step ${i + 1}">Copy</button>`;
      return `<dt>${label}</dt><dd><code id="${id}">${html(value)}</code></dd><dd>${copy}</dd>`;
    });
    const word = there === undefined ? "? could not be asked" : there ? "✓ seen by the name servers" : "○ not there yet";
    return `<li class="step ${entry.action}${there === true ? " done" : ""}" id="step-${i}"><div class="top"><h2>${i + 1}. ${TITLES[entry.action]}</h2><span class="tick" id="tick-${i}" role="status">${word}</span></div><p class="why">for ${html(because)}</p><dl>${fields.join("")}</dl>${entry.note === undefined ? "" : `<p class="note">${html(capital(inWords(entry.note)))}.</p>`}</li>`;
  });
  const left = verify.map(
    ({ service, ask, link, command }) =>
      `<li>${link === undefined ? `Open ${html(service)} and press verify` : `<a href="${html(link)}" rel="noreferrer">Open ${html(service)}</a> and press verify`} for ${html(ask)}, or run <code>${html(inWords(command))}</code></li>`,
  );
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>${html(displayName(domain))} at ${html(host ?? YOUR_HOST)}</title><style nonce="${nonce}">${STYLE}</style></head>
<body><main><h1>Records for ${html(displayName(domain))}</h1><p class="lead">One card is one record in the form of ${html(host ?? YOUR_HOST)}. Copy each field, save, and go on to the next; the ticks come by themselves.</p>
<section class="news" aria-live="polite" aria-label="How far it is"><p id="headline">${html(headlineOf(state))}</p><p class="left" id="left"></p></section>
<section class="slips" id="slips" aria-live="assertive" aria-label="What is not right"${slips.length === 0 ? " hidden" : ""}><h2>Not right yet</h2><ul id="slip-list">${slips.map(({ because, remedy }) => `<li>${html(inWords(because))}. Do: ${html(inWords(remedy))}.</li>`).join("")}</ul></section>
<ol aria-label="Steps">${cards.join("\n")}</ol>
<section id="verify"${done ? "" : " hidden"}><h2>And then, once everyone sees it</h2><ul>${left.join("")}</ul></section></main>
<script nonce="${nonce}">${SCRIPT}</script></body></html>
`;
}
