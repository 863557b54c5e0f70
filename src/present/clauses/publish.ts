import type { PublishClauses } from "../../core/clause/index.ts";
import { displayName, withoutRootDot } from "../../core/name/index.ts";
import { listOf } from "../english.ts";
import type { WordsOf } from "./words.ts";

const publication = ({ to, byHand }: PublishClauses["publish-arrived"]): string =>
  byHand ? `the records for ${to}` : `a publication to ${to} broke off`;
const said = (reason: string): string => (reason === "" ? "" : `: ${reason}`);

export const PUBLISH: WordsOf<PublishClauses> = {
  "publish-shown-otherwise": ({ differences }) => `accepted, but the zone shows otherwise: ${differences.join("; ")}`,
  "publish-late": ({ to }) => `a publication to ${to}, of which nothing was seen before, has arrived: the zone has all of it`,
  "publish-arrived-late": "it arrived late; the zone has all of it",
  "publish-unseen": ({ unseen, ...went }, say) =>
    `${publication(went)}: ${unseen === undefined ? "the zone could not be looked at" : say(unseen)}; run zandrel status again`,
  "publish-sheet-entered": ({ to }) => `everything on the sheet for ${to} is entered`,
  "publish-arrived": (went) => `${publication(went)}; the zone has all of it`,
  "publish-all-there": "the zone has all of it",
  "publish-sheet-partly": ({ done, of, ...went }) =>
    `${publication(went)}: ${done} of ${of} are there; zandrel publish --check shows what is left`,
  "publish-may-arrive": (went) => `${publication(went)}, and may still arrive; run zandrel status again in a minute`,
  "publish-none-there": "the zone has none of it",
  "publish-partly": ({ done, of, differences }) => `the zone has ${done} of its ${of} changes; ${differences.join("; ")}`,
  "publish-broke-off": ({ because, domain, ...went }, say) =>
    `${publication(went)}; ${say(because)}; zandrel draft ${withoutRootDot(domain)} shows what is left`,
  "publish-together": ({ parts }, say) => parts.map(say).join("; "),
  "publish-enter": ({ title, some }) => `${some ? "the others" : "these records"} are to be entered at ${title}`,
  "publish-moved": ({ title, reason }) => `${title} holds something else than a moment ago${said(reason)}`,
  "publish-refused": ({ title, reason }) => `${title} refused${said(reason)}`,
  "publish-only-part": ({ title, reason }) => `the helper of ${title} carried out only a part${said(reason)}`,
  "approve-not-approved": "it was not approved",
  "approve-host-says": ({ error, words }) => `the host says ${error}${words === undefined ? "" : ` (${words})`}`,
  "approve-said": ({ title, because }, say) => `${title}: ${say(because)}`,
  "approve-came-unseen": ({ title, left, of, unseen }, say) =>
    `${title} approved the changes, but we could not check whether ${left} of ${of} arrived (${say(unseen)})`,
  "approve-did-not-come": ({ title, left, of }) => `${title} said yes, and ${left} of ${of} changes did not come`,
  "approve-beside-unseen": ({ unseen }, say) => `we could not check whether it changed anything else (${say(unseen)})`,
  "approve-also-changed": ({ sets }) =>
    `it also changed ${listOf(sets.map(({ name, type }) => `${displayName(name)} ${type}`))}, which nobody approved`,
  "approve-came": ({ done, of }) => `${done} of ${of} changes came by approval`,
  "approve-nobody-back": ({ minutes }) => `nobody came back from the page within ${minutes} minutes`,
  "approve-host-removes": "the DNS host removes it by itself",
  "approve-no-template": "no template brings these records",
  "approve-none-taken": ({ title, because }, say) => `${title} takes no approval (${say(because)})`,
  "approve-not-offered": "it does not say that it takes approvals",
  "approve-no-host-name": "the host name it gives for approvals is not valid",
  "approve-by-link-only": "it only takes approvals by a link, each time",
  "approve-other-host": ({ written, found }) =>
    `zandrel.yaml says that it gives grants at ${written}, and the domain leads to ${found}`,
  "approve-page-not-https": "the page it names is not an https one",
  "approve-came-not-back": "nobody came back from the page in time",
  "approve-again": ({ because, host, domain }, say) =>
    `${say(because)}; run zandrel host approve ${host} ${withoutRootDot(domain)} again`,
  "approve-kept": ({ provider, because }, say) => `${provider}: ${say(because)}`,
  "approve-no-revocation": "the host offers no way to return a grant; withdraw it on its page",
  "approve-no-page": ({ title }) => `${title} has no page for it; run zandrel host approve first`,
  "approve-grant-only": ({ service }) => `the template ${service} may only be applied by a grant; run zandrel host approve first`,
  "approve-signed-links": ({ provider }) => `links for ${provider} have to be signed with a key that only the service has`,
  "approve-not-https": ({ title }) => `the page that ${title} names is not an https one`,
  "approve-took-back": ({ title }) => `${title} took back what it had applied`,
  "approve-published": ({ title }) => `${title} published all of it after it was approved there`,
  "approve-nobody-waits": ({ title }) =>
    `nobody waits for the approval at ${title} now; what it does not publish is listed below`,
  "publish-one-update": ({ title }) => `${title} made all changes in one signed update`,
  "publish-file-moved": ({ shown, name }) => `${shown} holds something else at ${displayName(name)} than a moment ago`,
  "publish-file-included": ({ type, name, file, shown }) =>
    `the ${type} record of ${displayName(name)} stands in ${file}, which ${shown} only includes`,
  "publish-file-included-mend": "change it there by hand",
  "publish-file-signed": ({ shown }) =>
    `${shown} is signed (it holds RRSIG records), and a change would leave signatures that no longer verify`,
  "publish-file-signed-mend": "name the file that it is signed from with zandrel host set, publish there, and sign it again",
  "publish-file-no-soa": ({ shown }) => `${shown} has no SOA record`,
  "publish-file-no-soa-mend": "give the zone's main file",
  "publish-file-serial": ({ shown, serial }) => `${shown} now has serial ${serial}; tell the server to reload it`,
  "publish-run-status": "run zandrel status: it looks at the zone and says which changes are there",
  "publish-correct-command": "correct command: under hosts: in zandrel.yaml",
  "publish-helper-done": ({ title }) => `the helper of ${title} says that all of it is done`,
  "publish-see-helper": "see what it says, and whether the token may change this zone",
  "publish-no-ttl-to-lower": "no TTL has to be lowered",
  "publish-already-there": "everything asked for is already there",
};
