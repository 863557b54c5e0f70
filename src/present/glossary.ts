/** A term of the trade or of Zandrel, in words a marketer knows. */
export interface Term {
  readonly term: string;
  /** Other spellings by which it is looked up. */
  readonly also?: readonly string[];
  /** A few words, for brackets behind the term. */
  readonly short: string;
  /** One sentence. */
  readonly meaning: string;
  /** What it looks like at the theatre of the demo. */
  readonly example: string;
}

const term = (name: string, short: string, meaning: string, example: string, ...also: string[]): Term => ({
  term: name,
  short,
  meaning,
  example,
  ...(also.length === 0 ? {} : { also }),
});

/** Every term, in alphabetical order. `zandrel words` prints it, and outputs take their explanations from it. */
export const GLOSSARY: readonly Term[] = [
  term("A record", "an IPv4 address", "A record that gives a name its IPv4 address.", "brackwater.example A 192.0.2.80", "a"),
  term(
    "AAAA record",
    "an IPv6 address",
    "A record that gives a name its IPv6 address.",
    "brackwater.example AAAA 2001:db8::80",
    "aaaa",
  ),
  term(
    "aggregate report",
    "a daily summary from a mailbox provider",
    "A daily file in which a mailbox provider lists who sent mail with your domain in From, and what passed.",
    "Mallowmail reports 412 messages from Heronpost, all passed.",
    "report",
    "rua",
  ),
  term(
    "alignment",
    "whether what passed belongs to the From domain",
    "DMARC only counts an SPF or DKIM pass if its domain belongs to the domain that readers see in From.",
    "A signature of heronpost.example does not help mail from news@brackwater.example.",
    "aligned",
  ),
  term(
    "apex",
    "the domain itself",
    "The name of the domain without anything in front; forms call it @ or leave the field empty.",
    "brackwater.example, as opposed to www.brackwater.example",
    "@",
    "root domain",
  ),
  term(
    "approval",
    "a yes in the browser in place of copying",
    "A click on a page of the DNS host by which it enters a service's records itself.",
    "Nettlehost asks once whether Pagewick's four records may be published for brackwater.example.",
    "grant",
  ),
  term(
    "ARC",
    "seals of those who forwarded a message",
    "A sealed note that a mailing list or a mail server adds to a message it forwards: whether it was proven on arrival, so that the next receiver can believe it.",
    "The guild's list seals the theatre's letters, says that they passed DMARC, and only then adds its footer.",
  ),
  term(
    "ask",
    "what one service wants published",
    "What one service wants published for one purpose on one domain.",
    "Seekmere asks for one TXT record on brackwater.example.",
  ),
  term(
    "authoritative server",
    "the name server that holds the zone",
    "A name server that holds the records of a domain itself, instead of remembering what others said.",
    "ns1.nettlehost.example answers for brackwater.example.",
    "name server",
  ),
  term(
    "BIMI",
    "the record that says where the logo is",
    "A record from which mailbox providers learn where your logo is, which they show beside mail that is proven.",
    'default._bimi.brackwater.example TXT "v=BIMI1; l=https://www.brackwater.example/logo.svg"',
    "logo",
  ),
  term(
    "bounce",
    "a message that came back",
    "A message that could not be delivered and is returned to its return path.",
    "A ticket for an address that no longer exists comes back to bounce.brackwater.example.",
  ),
  term(
    "bounce host",
    "the name that returned mail goes to",
    "A name below your domain where a mail service receives returned mail, so that SPF counts for your domain.",
    "bounce.brackwater.example CNAME return.heronpost.example",
  ),
  term(
    "CAA record",
    "who may issue certificates",
    "A record that names the certificate issuers allowed for a domain.",
    'brackwater.example CAA 0 issue "sealbarrow.example"',
    "caa",
  ),
  term(
    "cache",
    "what others remember",
    "Resolvers keep an answer for its TTL, so a change is seen only after the old answer has run out.",
    "A resolver asked at 9:00 shows the old address until 10:00.",
  ),
  term(
    "certificate",
    "what makes https work for a name",
    "A file on the web server by which browsers know that they are talking to your site.",
    "Sealbarrow issues one for brackwater.example and www.brackwater.example.",
  ),
  term(
    "clash",
    "something is in the way",
    "An ask cannot be published as it stands, because another record is in the way.",
    "www already leads to a parked page, and Pagewick wants it for the site.",
  ),
  term(
    "CNAME record",
    "an alias, a name that stands for another",
    "A record that makes a name an alias of another name; nothing else may stand beside it.",
    "www.brackwater.example CNAME sites.pagewick.example",
    "cname",
    "alias",
  ),
  term(
    "delegation",
    "which name servers answer for a domain",
    "The entry at the registry that says which name servers answer for a domain; it is changed at the registrar.",
    "example hands brackwater.example to ns1.nettlehost.example.",
  ),
  term(
    "DKIM",
    "a signature on mail",
    "A signature in the header of a message; receivers check it with a key that is published in the DNS.",
    "Heronpost signs newsletters with the selector hpa.",
  ),
  term(
    "DKIM key",
    "the public half of a signing key",
    "The record with which receivers check a DKIM signature; the private half stays with the sender.",
    'hpa._domainkey.brackwater.example TXT "v=DKIM1; p=MIIB…"',
    "key",
  ),
  term(
    "DMARC",
    "what receivers do with mail that is not proven",
    "A record that tells receivers what to do with mail that neither SPF nor DKIM proves to be yours, and where to report.",
    '_dmarc.brackwater.example TXT "v=DMARC1; p=none; rua=mailto:dmarc@brackwater.example"',
  ),
  term(
    "DNS",
    "the address book of the internet",
    "The public directory in which names lead to addresses, mail servers and texts.",
    "Everybody finds brackwater.example through it.",
  ),
  term(
    "DNS host",
    "who serves your records",
    "The company or server where the records of a domain are entered.",
    "Nettlehost serves brackwater.example.",
  ),
  term(
    "DNSSEC",
    "signatures on records",
    "Signatures with which resolvers check that records were not forged on the way.",
    "A domain with a DS record at its registry is signed.",
  ),
  term(
    "domain",
    "a registered name",
    "A name that the organisation has registered, with everything below it.",
    "brackwater.example",
  ),
  term(
    "draft",
    "the changes, before they are made",
    "The difference between what is wanted and what is live, record by record, with reasons; nothing is changed yet.",
    "zandrel draft brackwater.example",
  ),
  term(
    "dynamic update",
    "a signed change sent to the name server",
    "A way of changing records by a signed message to the name server: all of it happens, or nothing.",
    "Nettlehost accepts updates signed with a TSIG key.",
  ),
  term(
    "envelope sender",
    "the return path of a message",
    "The address that mail servers use among themselves; readers see the From address instead.",
    "bounce@bounce.brackwater.example",
    "mail from",
    "return path",
  ),
  term(
    "failure report",
    "a report about one message that failed",
    "What few receivers send about a single message that was not proven: who sent it, which check failed, and its header.",
    "Mallowmail reports that a letter from Inglemail failed, because its text was changed on the way.",
    "ruf",
  ),
  term(
    "finding",
    "one thing the audit has to say",
    "One thing the audit noticed, with evidence, why it matters, and what to do.",
    "spf-over-limit: the SPF record makes receivers ask too often.",
  ),
  term(
    "forward-confirmed reverse DNS",
    "an address whose name leads back to it",
    "The sending server's address has a name, and that name leads back to the address; receivers expect it.",
    "192.0.2.25 is out.heronpost.example, and that is 192.0.2.25.",
    "reverse dns",
    "ptr",
  ),
  term(
    "From domain",
    "the domain that readers see",
    "The domain of the address in the From line of a message.",
    "news@brackwater.example has the From domain brackwater.example.",
    "from",
  ),
  term(
    "HELO",
    "how a mail server introduces itself",
    "The name a sending server says at the beginning of a connection.",
    "HELO out.heronpost.example",
  ),
  term(
    "include",
    "another domain's senders",
    "A term of an SPF record that allows everybody that another domain allows.",
    "include:spf.heronpost.example",
  ),
  term(
    "journal",
    "what happened, in order",
    "The record in .zandrel/journal.db of what was asked, published, seen and proven; nothing in it is ever changed.",
    "zandrel undo takes the newest publication from it.",
  ),
  term(
    "kit",
    "a reusable set of asks",
    "A file that describes what a service always asks for, with blanks to fill in.",
    "zandrel intake --kit heronpost --input account=brackwater",
  ),
  term(
    "lookup limit",
    "at most 10 DNS questions for SPF",
    "Receivers ask at most ten questions for one SPF record; with more, the whole record counts as an error.",
    "Each include costs at least one lookup.",
    "lookup",
  ),
  term(
    "MX record",
    "the server that receives mail",
    "A record that names the server which receives mail for a domain, with its priority.",
    "brackwater.example MX 10 mx1.inglemail.example",
    "mx",
  ),
  term(
    "near miss",
    "published, but wrongly",
    "A record that is almost right: the right value at the wrong name, or a value that was cut.",
    "_dmarc.brackwater.example.brackwater.example",
  ),
  term(
    "negative answer",
    "“there is no such record”, remembered",
    "Resolvers also remember that a record does not exist, so asking too early delays everything.",
    "A service that looked at 9:00 says “not yet” until 9:15.",
    "negative ttl",
  ),
  term(
    "null MX",
    "this domain receives no mail",
    "An MX record that says that a domain receives no mail at all.",
    "puppetfest.example MX 0 .",
  ),
  term(
    "one-click unsubscribe",
    "leaving a list with one press",
    "Two header lines by which a mail program ends a subscription without opening a page.",
    "List-Unsubscribe-Post: List-Unsubscribe=One-Click",
  ),
  term(
    "organizational domain",
    "the domain somebody registered",
    "The registered domain that a name belongs to; alignment compares these.",
    "brackwater.example for news.brackwater.example",
  ),
  term(
    "parked page",
    "the placeholder of a new domain",
    "Records a DNS host puts there for a new domain, leading to an advertisement or a “coming soon” page.",
    "www.brackwater.example CNAME parked.nettlehost.example",
  ),
  term(
    "policy",
    "what DMARC asks receivers to do",
    "none only reports, quarantine sends mail that fails to the junk folder, reject refuses it.",
    "p=quarantine",
    "quarantine",
    "reject",
  ),
  term(
    "priority",
    "which mail server is tried first",
    "The number in an MX record; the lowest is tried first.",
    "10 before 20",
    "preference",
  ),
  term(
    "propagation",
    "how far a change has reached",
    "How far a change has reached: old answers run out one by one. Zandrel says spread.",
    "zandrel watch brackwater.example",
    "spread",
  ),
  term(
    "record",
    "one line of the DNS",
    "A name, a type and a value, with the time others may remember it.",
    'brackwater.example 3600 TXT "seekmere-owner=4f1d0c77a2"',
  ),
  term(
    "record set",
    "all records of one name and type",
    "All records with the same name and type; they share one TTL and are changed together.",
    "the two MX records of brackwater.example",
  ),
  term(
    "registrar",
    "where the domain was registered",
    "The company where a domain was registered, and where its name servers are set.",
    "Moving to Zonemarrow means changing the name servers there.",
  ),
  term(
    "resolver",
    "the server that looks names up for you",
    "A server that looks names up for others and remembers the answers.",
    "the one your office network uses",
    "vantage",
  ),
  term(
    "selector",
    "the name of a signing key",
    "The word in front of ._domainkey under which a DKIM key is published.",
    "hpa in hpa._domainkey.brackwater.example",
  ),
  term(
    "serial",
    "the version number of a zone",
    "The number in the SOA record that rises with each change, so that servers can tell who is behind.",
    "2026030201",
  ),
  term(
    "service",
    "a company that asks for records",
    "A company that asks you to publish records: a site builder, a search engine, a mailer.",
    "Heronpost",
  ),
  term(
    "SMTP",
    "how mail is handed over",
    "The protocol by which mail programs and servers hand messages over.",
    "smtp.swiftquill.example, port 587",
  ),
  term(
    "SOA record",
    "the zone's own data sheet",
    "The record at the top of a zone with its version and how long “no such record” is remembered.",
    "brackwater.example SOA ns1.nettlehost.example …",
    "soa",
  ),
  term(
    "SPF",
    "which servers may send",
    "A TXT record that lists the servers allowed to send mail for a domain.",
    'brackwater.example TXT "v=spf1 include:spf.heronpost.example ~all"',
  ),
  term(
    "state",
    "where an ask stands",
    "waiting, noted, clashing, astray, spreading, settled, proven, lapsed or unknown; always worked out from what is there now.",
    "settled: every resolver has it.",
    "settled",
    "noted",
    "astray",
    "lapsed",
    "proven",
  ),
  term(
    "template",
    "what DNS hosts know a kit by",
    "A description of a service's records in an open format, which a DNS host that takes approvals can apply.",
    "pagewick.example site: four records with the blanks claim and site.",
  ),
  term(
    "TLS",
    "encryption on the way",
    "Encryption of a connection, for web pages and between mail servers.",
    "https and STARTTLS use it.",
    "starttls",
  ),
  term(
    "token",
    "the text that proves ownership",
    "The text a service gives you, to see whether you can publish it.",
    "seekmere-owner=4f1d0c77a2",
  ),
  term(
    "TSIG key",
    "the password for dynamic updates",
    "A shared secret with which a dynamic update is signed.",
    "secret: env:NETTLEHOST_TSIG in zandrel.yaml",
    "tsig",
  ),
  term(
    "TTL",
    "how long others remember it",
    "Time to live: how many seconds resolvers may keep an answer before they ask again.",
    "3600 is one hour.",
    "time to live",
  ),
  term(
    "TXT record",
    "a line of text at a name",
    "A record that holds a text, for proofs of ownership, SPF, DKIM and DMARC.",
    'brackwater.example TXT "seekmere-owner=4f1d0c77a2"',
    "txt",
  ),
  term(
    "wildcard",
    "answers for names that do not exist",
    "A record at * that answers for every name which has no records of its own.",
    "*.brackwater.example",
    "*",
  ),
  term(
    "workspace",
    "the folder Zandrel works in",
    "The folder with zandrel.yaml, the asks of each domain, the keys and the journal.",
    "zandrel init brackwater.example starts one.",
  ),
  term(
    "zone",
    "all records of a domain at one DNS host",
    "All records that one DNS host keeps for a domain.",
    "the zone brackwater.example at Nettlehost",
  ),
  term(
    "zone file",
    "the records of a zone as text",
    "The open text format in which name servers keep and exchange the records of a zone.",
    "brackwater.example.zone",
    "zone file",
  ),
];

/** A term by its name or another spelling, whatever the case. */
export function lookUpTerm(word: string): Term | undefined {
  const key = word.trim().toLowerCase();
  return (
    GLOSSARY.find((candidate) => candidate.term.toLowerCase() === key) ??
    GLOSSARY.find((candidate) => candidate.also?.some((other) => other.toLowerCase() === key))
  );
}

/** Every word by which a term is found. */
export const glossaryWords = (): string[] => GLOSSARY.flatMap((one) => [one.term, ...(one.also ?? [])]);
