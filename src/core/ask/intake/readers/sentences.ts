import { type DomainName, isAtOrBelow, parseName } from "../../../name/index.ts";
import { looksLikeName } from "../paste.ts";
import { type Evidence, looksLikeHost } from "../reading.ts";
import { APEX_WORDS, isTypeWord, labelOf } from "../words.ts";
import { type Field, isSureHost, isUsualHost, isValueForm, POLICY, type Said, suits } from "./events.ts";

/** A word of a sentence, something in quotation marks, or an arrow, with its place. */
interface Token {
  readonly text: string;
  readonly from: number;
  readonly to: number;
  readonly kind: "word" | "quoted" | "policy" | "arrow";
  /** The sign behind it that leads to what follows. */
  readonly leads: boolean;
  /** Whether a comma, a full stop or a bracket ends a part of the sentence behind it. */
  readonly stops: boolean;
}

const TOKEN =
  /(?<arrow>-{1,2}>|=>|[→➔➜⟶⇒]|(?<=\s)=(?=\s))|(?<=^|[\s(:=,/])["“„«‹‘'`](?<quoted>[^"“”„«»‹›`\n]{1,600}?)["”“»›’'`](?=$|[\s).,;:!?/–—-])|(?<word>[^\s"“”„«»‹›`]+)/gu;

/** The words of a text; a policy or key is one of them, to its end. */
function tokensOf(text: string): Token[] {
  const tokens: Token[] = [];
  for (const match of text.matchAll(TOKEN)) {
    const { arrow, quoted, word } = match.groups as { arrow?: string; quoted?: string; word?: string };
    if (arrow !== undefined)
      tokens.push({ text: arrow, from: match.index, to: match.index + arrow.length, kind: "arrow", leads: false, stops: false });
    else if (quoted !== undefined) {
      const from = match.index + 1;
      tokens.push({ text: quoted, from, to: from + quoted.length, kind: "quoted", leads: false, stops: true });
    } else if (word !== undefined) {
      const policy = POLICY.exec(word)?.index === 0;
      if (policy) {
        const rest = /^[^"“”«»`\n]*/.exec(text.slice(match.index))?.[0] ?? word;
        const value = rest
          // In cells, what stands behind a gap is another one; a term or tag goes on.
          .replace(
            /(?: {2,}|\t)(?!\S*[:=]|[-+?~]?(?:all|mx|a|ptr)(?![\w])).*$|\s+[–—-]\s.*$|,\s+(?:ttl|priority|prio|with|and|please|thanks?)\b.*$/i,
            "",
          )
          .replace(/[\s)]+$/, "")
          .replace(/(?<=[a-z0-9])[.,]$/i, "");
        tokens.push({
          text: value,
          from: match.index,
          to: match.index + value.length,
          kind: "policy",
          leads: false,
          stops: true,
        });
        const behind = text.slice(match.index + value.length);
        const at = match.index + value.length;
        return [...tokens, ...tokensOf(behind).map((token) => ({ ...token, from: token.from + at, to: token.to + at }))];
      }
      const lead = /^[([{<]*/.exec(word)?.[0].length ?? 0;
      const plain = word.slice(lead).replace(/[,;:.!?)\]}>]+$/, "") || word.slice(lead);
      // A comma or a full stop alone is no word.
      if (/^[,;:.!?)\]}/–—|-]+$/.test(plain)) continue;
      const from = match.index + lead;
      tokens.push({
        text: plain,
        from,
        to: from + plain.length,
        kind: "word",
        leads: /[:=：]\)?$/.test(word),
        stops: /[,;.!?)]$/.test(word),
      });
    }
  }
  return tokens;
}

/** Words that name a field in a label and mean something else in a sentence. */
const NO_FIELD =
  /^(?:records?|text|code|token|server|result|owner|node|alias|use|used|new|check|found|expected|current|old|valid|change|action|art|no|copy|edit|status|state|class|note|tag|service|port|content|answer|domain name|dns name|provider|required|optional|comment|contents)$/i;
/** Words between a field and what is to stand in it. */
const FILLER =
  /^(?:enter|type|paste|put|use|set|write|insert|fill|add|choose|select|give|is|be|should|must|reads?|of|to|in|with|the|this|your|following|exactly|just|only|field|box|column|input|and|then|a|an|it|as|eingeben|eintragen|ein|lautet|ist|wählen|saisissez|entrez|collez|choisissez|est|introduzca|pegue|es|inserisci|incolla|voer|plak|vul|kies|wpisz|wklej|:|=|by|equals?)$/i;
const ENTERS =
  /^(?:enter|type|paste|put|use|set|write|insert|add|choose|select|is|be|to|of|eingeben|eintragen|saisissez|entrez|collez|introduzca|pegue|inserisci|incolla|voer|plak|wpisz|wklej)$/i;
/** Words that stand between a thing and the field it is for. */
const INTO =
  /^(?:as|in|into|for|under|on|at|als|bei|unter|für|comme|dans|sous|pour|como|en|para|come|nel|per|bij|voor|jako|w|dla)$/i;
const ARTICLE = /^(?:the|your|a|an|this|its|der|die|das|den|dem|le|la|el|il|lo|het|de|ein|eine)$/i;
/** Words in front of a host that is marked. */
const HOST_LEAD = /^(?:named|called|for|at|on|under|point|make|give|host|subdomain|für|pour|para|voor|namens)$/i;
/** Words in front of a value that is marked. */
const VALUE_LEAD =
  /^(?:to|containing|contains|reading|reads|says|saying|is|with|value|vers|auf|naar|a|at|equals?|content|text|record|be|through|by|adding)$/i;
/** Words that are never what stands in a field. */
const NO_THING =
  /^(?:a|an|the|this|that|your|our|it|its|them|following|new|one|two|records?|domain|dns|host|name|value|field|box|type|here|us|you|be|is|are|and|or|with|verify|prove|connect|use|any|each|other|provider|settings|zone|make|set|see|have|get|do|finish|continue|below|above|column|same|shown|from|page|also|then|or|oder|ou|if|not|no|can|will|must|should|may|service|site|account|in|on|at|to|for|of|as|by|mail|email|button|step|we|i|they|he|she|who|which|what|when|where|need|needs|want|wants|please|below|only|exactly)$/i;

/** A page to read, or whom to write to: a name there is no part of a record. */
const isElsewhere = (lead: string, text: string): boolean =>
  /^(?:see|visit|read|open|from|via|by|contact|questions)$/i.test(lead) &&
  looksLikeName(text) &&
  /^(?:www|help|docs?|support|kb|faq|blog|status|my|app|login|account)\./i.test(text);

const isMail = (text: string): boolean => /^[^@\s]+@[^@\s]+\.[a-z]{2,}$/i.test(text);

/** The record type that a word names in a sentence; “a” only as `A`, and small letters only where a record is meant. */
function typeAt(tokens: readonly Token[], at: number): { readonly type: string; readonly used: number } | undefined {
  const { text, kind } = tokens[at] as Token;
  if (kind !== "word") return undefined;
  const plain = text.replace(/[-–]?(?:records?|entry|eintrag|record-typ)$/i, "") || text;
  const next = tokens[at + 1]?.text ?? "";
  const isRecord =
    plain !== text || /^(?:(?:resource|dns)?-?records?|entry|entries|eintr[aä]ge?|enregistrements?|registros?|type)$/i.test(next);
  if (/^text$/i.test(plain) && isRecord) return { type: "TXT", used: 2 };
  if (/^alias$/i.test(plain) && isRecord) return { type: "CNAME", used: 2 };
  if (!isTypeWord(plain)) return undefined;
  const upper = plain.toUpperCase();
  if (upper === "SPF" || upper === "NS" || upper === "DS")
    return isRecord && upper !== "NS" && upper !== "DS" ? { type: "TXT", used: 1 } : undefined;
  const sure =
    plain === upper
      ? plain.length > 1 || isRecord || isFieldOf(tokens, at, "type")
      : /^(?:cname|txt|aaaa|mx|srv|caa)$/.test(plain);
  return sure || (isRecord && plain.length > 1) ? { type: upper, used: 1 } : undefined;
}

/** Whether a word for a field stands in front of a token, perhaps with words between. */
const isFieldOf = (tokens: readonly Token[], at: number, field: Field): boolean =>
  tokens
    .slice(Math.max(0, at - 3), at)
    .some(({ text, leads }) => labelOf(text)?.column === field && (leads || !NO_FIELD.test(text)));

/** The field that one to three words name, and how many they are. */
function fieldAt(
  tokens: readonly Token[],
  at: number,
): { readonly field: Field; readonly used: number; readonly leads: boolean } | undefined {
  // A DNS host is no field.
  const before = tokens[at - 1]?.text ?? "";
  if (
    /^hosts?$/i.test(tokens[at]?.text ?? "") &&
    tokens[at]?.leads !== true &&
    /^(?:dns|domain|web|e-?mail|current|new|old|any|each|hosting)$/i.test(before)
  )
    return undefined;
  for (const used of [3, 2, 1]) {
    const words = tokens.slice(at, at + used);
    if (words.length < used || words.some(({ kind }) => kind !== "word") || words.slice(0, -1).some(({ leads }) => leads))
      continue;
    const text = words.map((word) => word.text).join(" ");
    const leads = words.at(-1)?.leads === true;
    if ((!leads && NO_FIELD.test(text)) || /\d/.test(text)) continue;
    if (used > 1 && (NO_THING.test(words[0]?.text ?? "") || INTO.test(words[0]?.text ?? ""))) {
      if (!/^(?:host|name|value|type)$/i.test(words[0]?.text ?? "")) continue;
    }
    const plural = text.replace(/(?<=\w)e?s$/i, (end) => (end.length > 1 && /ress$/i.test(text.slice(0, -2)) ? "" : end));
    const column = (labelOf(text) ?? labelOf(plural) ?? labelOf(text.replace(/s$/i, "")) ?? labelOf(text.replace(/n$/i, "")))
      ?.column;
    if (column === "type" || column === "host" || column === "value" || column === "priority" || column === "ttl")
      return { field: column, used, leads };
  }
  return undefined;
}

/** What a sentence, or a cell of one, says of records: each field with what shows it. */
export function saidIn(text: string, offset: number, line: number, domain: DomainName): Said[] {
  const both = BOTH.exec(text);
  if (both === null) return scanned(text, offset, line, domain);
  const from = both.index;
  const to = from + both[0].length;
  const { first = "", second = "" } = both.groups ?? {};
  const host = [first, second].map((name) => (name.toLowerCase() === "www" ? name : "@")).join(" and ");
  const spans = [{ line, from: offset + from, to: offset + to }];
  const said: Said = { field: "host", text: host, evidence: "label", spans, line, sentence: text };
  const rest = `${text.slice(0, from)}${" ".repeat(to - from)}${text.slice(to)}`;
  return [...scanned(rest, offset, line, domain), said];
}

/** What a sentence says, a remark in brackets about somebody's domain left aside. */
function scanned(text: string, offset: number, line: number, domain: DomainName): Said[] {
  const plain = text.replace(REMARK, (remark) => " ".repeat(remark.length));
  return new Scan(tokensOf(plain), plain, offset, line, domain).run();
}

/** “(news.yourdomain…)”: how a host looks in the end. */
const REMARK = /\([^()\n]{0,80}\b(?:your|my)-?domain\b[^()\n]{0,40}\)/gi;

/** “For both the root domain and www”: one record at each of them. */
const BOTH =
  /\bboth\s+(?:the\s+|your\s+)?["“'`]?(?<first>@|(?:root|apex|bare|naked)(?: domain)?|domain(?: itself| name)?|www)["”'`]?\s+(?:and|&)\s+(?:the\s+|your\s+)?["“'`]?(?<second>@|(?:root|apex|bare|naked)(?: domain)?|domain(?: itself| name)?|www)["”'`]?(?![\w-]|\.\w)/i;

class Scan {
  readonly #said: Said[] = [];
  #expect: Field | undefined;
  #age = 0;
  #thing: { readonly token: Token; readonly at: number } | undefined;

  readonly #tokens: readonly Token[];
  readonly #sentence: string;
  readonly #offset: number;
  readonly #line: number;
  readonly #domain: DomainName;

  constructor(tokens: readonly Token[], sentence: string, offset: number, line: number, domain: DomainName) {
    this.#tokens = tokens;
    this.#sentence = sentence;
    this.#offset = offset;
    this.#line = line;
    this.#domain = domain;
  }

  run(): Said[] {
    for (let at = 0; at < this.#tokens.length; ) at += this.#step(at);
    return this.#said;
  }

  #push(field: Field, token: Token, evidence: Evidence, text = this.#asMarked(field, token)): void {
    const span = { line: this.#line, from: this.#offset + token.from, to: this.#offset + token.to };
    this.#said.push({ field, text, evidence, spans: [span], line: this.#line, sentence: this.#sentence });
  }

  /** A text with the typographic marks around it, so that it is said that they were taken off. */
  #asMarked(field: Field, { text, from, to, kind }: Token): string {
    const marked = this.#sentence.slice(Math.max(0, from - 1), to + 1);
    const isText =
      field === "value" && kind === "quoted" && !looksLikeName(text) && !/^[\d.]+$|^[0-9a-f:]+$|^\d{1,5}\s+\S+$/i.test(text);
    return isText && /^[“„«‘‹]/.test(marked) ? marked : text;
  }

  /** Looks at the token at a place; how many were used. */
  #step(at: number): number {
    const token = this.#tokens[at] as Token;
    if (token.kind === "arrow") return this.#arrow(at);
    const type = typeAt(this.#tokens, at);
    if (type !== undefined) {
      this.#push("type", token, this.#expect === "type" ? "label" : "form", type.type);
      if (this.#expect === "type") this.#expect = undefined;
      return type.used;
    }
    const field = token.kind === "word" && !this.#isExpectedHost(token) ? fieldAt(this.#tokens, at) : undefined;
    if (field !== undefined) return this.#field(at, field);
    if (this.#expect !== undefined) {
      const used = this.#expected(at, this.#expect);
      if (used > 0) return used;
    }
    return this.#free(at);
  }

  /** A word that may be a field and is what is expected: a host called like one. */
  #isExpectedHost({ text }: Token): boolean {
    return this.#expect === "host" && /^(?:alias|server|status|code|text|ttl)$/i.test(text);
  }

  #arrow(at: number): number {
    // Behind the word for a field it leads to what stands in it.
    if (this.#expect !== undefined && this.#tokens[at]?.text === "=") return 1;
    const before = this.#tokens[at - 1];
    const isTaken =
      before !== undefined && this.#said.some(({ spans }) => spans.some(({ from }) => from === this.#offset + before.from));
    if (before !== undefined && !isTaken && suits("host", before.text) && !NO_THING.test(before.text))
      this.#push("host", before, "place");
    this.#expect = "value";
    this.#age = 0;
    return 1;
  }

  /** A word for a field: what stood in front of it goes into it (“enter @ as the host”), or what follows. */
  #field(at: number, { field, used, leads }: { readonly field: Field; readonly used: number; readonly leads: boolean }): number {
    const thing = this.#thing;
    if (thing !== undefined && !leads) {
      const between = this.#tokens.slice(thing.at + 1, at).map(({ text }) => text);
      if (
        between.length > 0 &&
        between.length <= 3 &&
        between.some((word) => INTO.test(word)) &&
        between.every((word) => INTO.test(word) || ARTICLE.test(word)) &&
        suits(field, thing.token.text)
      ) {
        this.#push(field, thing.token, "label");
        this.#thing = undefined;
        return used;
      }
    }
    this.#expect = field;
    this.#age = 0;
    return used;
  }

  /** What stands in a field that was named: 0 where this is not it. */
  #expected(at: number, field: Field): number {
    const token = this.#tokens[at] as Token;
    const before = this.#tokens[at - 1];
    this.#age += 1;
    const take = (evidence: Evidence, used = 1, text = this.#asMarked(field, token)): number => {
      const last = this.#tokens[at + used - 1] as Token;
      this.#push(field, { ...token, to: last.to }, evidence, text);
      this.#expect = undefined;
      this.#thing = undefined;
      return used;
    };
    if (/^(?:and|then|und|et|y|e|en)$/i.test(token.text) && token.kind === "word") {
      if (!this.#isEntering(at + 1)) this.#expect = undefined;
      return this.#expect === undefined ? 0 : 1;
    }
    if (field === "host") {
      // “leave it empty”, “empty”: the domain itself.
      for (const used of [5, 4, 3, 2, 1]) {
        const words = this.#tokens.slice(at, at + used);
        if (
          words.length === used &&
          words.every(({ kind }) => kind === "word") &&
          APEX_WORDS.test(words.map(({ text }) => text).join(" ")) &&
          !FILLER.test(token.text)
        )
          return take("label", used, "@");
      }
    }
    if (token.kind === "quoted" || token.kind === "policy") return suits(field, token.text) ? take("label") : 0;
    if (field === "priority" || field === "ttl") {
      if (/^\d/.test(token.text)) {
        const unit = this.#tokens[at + 1];
        const isTime =
          field === "ttl" &&
          unit !== undefined &&
          /^(?:s|sec|seconds?|min|minutes?|hours?|h|days?|Sekunden|Minuten|Stunden)$/i.test(unit.text);
        return isTime ? take("label", 2, `${token.text} ${unit.text}`) : take("label");
      }
    } else if (isMail(token.text)) return 0;
    else if (field === "host" && suits("host", token.text) && (isSureHost(token.text) || this.#isBareHost(at)))
      return take("label");
    else if (field === "value") {
      const entered =
        before !== undefined && (before.leads || before.kind === "arrow" || ENTERS.test(before.text)) && this.#age <= 3;
      const used = entered ? this.#wordsOfValue(at) : 1;
      const whole = this.#sentence.slice(token.from, this.#tokens[at + used - 1]?.to);
      if (isValueForm(token.text)) return used > 1 && !looksLikeName(token.text) ? take("label", used, whole) : take("label");
      if (entered && !NO_THING.test(token.text) && !FILLER.test(token.text) && /[\d_=:.-]/.test(token.text))
        return take("label", used, whole);
    }
    if (!FILLER.test(token.text) && !ARTICLE.test(token.text) && !INTO.test(token.text)) this.#expect = undefined;
    if (this.#age > 8) this.#expect = undefined;
    return 0;
  }

  /** Whether a word without marks is what stands in a host field: the part of the sentence ends behind it, or goes on with the record. */
  #isBareHost(at: number): boolean {
    const { text, stops } = this.#tokens[at] as Token;
    if (NO_THING.test(text) || FILLER.test(text)) return false;
    const next = this.#tokens[at + 1];
    if (stops || next === undefined || next.kind !== "word" || isUsualHost(text) || /[\d_.-]/.test(text)) return true;
    return (
      /^(?:and|or|with|pointing|points?|that|which|to|as|in|into|containing|und|et|y|e|en)$/i.test(next.text) ||
      fieldAt(this.#tokens, at + 1) !== undefined
    );
  }

  /** Whether a word that says to enter something stands at a place. */
  #isEntering(at: number): boolean {
    const { text, kind } = this.#tokens[at] ?? { text: "", kind: "word" };
    return kind !== "word" || ENTERS.test(text);
  }

  /** How many words from a place are one value: up to the next comma, while nothing speaks of another field. */
  #wordsOfValue(at: number): number {
    let used = 1;
    while (this.#tokens[at + used - 1]?.stops === false) {
      const next = this.#tokens[at + used];
      if (
        next === undefined ||
        next.kind !== "word" ||
        FILLER.test(next.text) ||
        INTO.test(next.text) ||
        NO_THING.test(next.text)
      )
        break;
      if (fieldAt(this.#tokens, at + used) !== undefined || typeAt(this.#tokens, at + used) !== undefined || used > 5) break;
      used += 1;
    }
    return used;
  }

  /** A token that no field was named for: it needs a form of its own, or marks. */
  #free(at: number): number {
    const token = this.#tokens[at] as Token;
    const { text, kind } = token;
    const lead = this.#lead(at);
    const number = this.#tokens[at + 1];
    if (/^\d{1,5}$/.test(text) && number !== undefined && looksLikeName(number.text) && this.#said.at(-1)?.field !== "priority") {
      if (this.#said.some(({ field, text: type }) => field === "type" && type === "MX")) this.#push("priority", token, "place");
      return 1;
    }
    if (isMail(text) || (/^https?:\/\//i.test(text) && kind === "word") || /^(?:version|build|release|v)$/i.test(lead)) return 1;
    const own = this.#ownName(text);
    // A second name with an underscore in front, and elsewhere, is where the first one leads.
    const isTarget =
      own === undefined && looksLikeName(text) && text.split(".").length > 2 && this.#said.at(-1)?.field === "host";
    if (isTarget && kind !== "policy") {
      this.#push("value", token, kind === "quoted" ? "marked" : "form");
      return 1;
    }
    if (kind === "word" && own === undefined && isElsewhere(lead, text)) return 1;
    if (kind === "quoted") {
      if (own !== undefined || (HOST_LEAD.test(lead) && looksLikeHost(text)) || isSureHost(text))
        this.#push("host", token, "marked");
      else if (isValueForm(text) || POLICY.test(text) || VALUE_LEAD.test(lead) || this.#isTextHere(text))
        this.#push("value", token, "marked");
      else this.#thing = { token, at };
      return 1;
    }
    // “a single dot as its target”: the null MX (RFC 7505 section 3).
    if (/^dot$/i.test(text) && this.#said.some(({ field, text: type }) => field === "type" && type === "MX"))
      this.#push("value", token, "marked", ".");
    if (kind === "policy") {
      // The beginning of a record alone is only spoken of.
      if (!/^v=\w+\W*$/.test(text)) this.#push("value", token, "form");
    } else if (isSureHost(text)) this.#push("host", token, "form");
    else if (own === "itself") {
      if (/^(?:at|on|under|for|host|bei|für|pour|para|per|voor)$/i.test(lead)) this.#push("host", token, "own");
    } else if (own === "below") this.#push("host", token, "form");
    else if (isValueForm(text)) this.#push("value", token, "form");
    else if (HOST_LEAD.test(lead) && isUsualHost(text) && this.#isInRecord(at)) this.#push("host", token, "marked");
    else if (ENTERS.test(lead) && looksLikeHost(text) && !NO_THING.test(text)) this.#thing = { token, at };
    const last = this.#said.at(-1);
    // “enter _x as the host”: the field may be named behind it.
    if (last !== undefined && last.spans[0]?.from === this.#offset + token.from && ENTERS.test(lead)) {
      const behind = this.#tokens.slice(at + 1, at + 4);
      const said = behind.findIndex((_, i) => fieldAt(this.#tokens, at + 1 + i) !== undefined);
      if (said > 0 && behind.slice(0, said).every((word) => INTO.test(word.text) || ARTICLE.test(word.text))) {
        this.#said.pop();
        this.#thing = { token, at };
      }
    }
    return 1;
  }

  /** Whether words in quotation marks are a text: the sentence speaks of one, and no host has blanks. */
  #isTextHere(text: string): boolean {
    return (
      /\S\s+\S/.test(text) && /\d/.test(text) && this.#said.some(({ field, text: type }) => field === "type" && type === "TXT")
    );
  }

  /** The word in front of a token, articles left out. */
  #lead(at: number): string {
    for (let i = at - 1; i >= 0; i--) {
      const { text } = this.#tokens[i] as Token;
      if (!ARTICLE.test(text)) return text;
    }
    return "";
  }

  /** Whether a sentence speaks of a record in front of a token. */
  #isInRecord(at: number): boolean {
    return (
      this.#said.some(({ field }) => field === "type") || this.#tokens.slice(0, at).some(({ text }) => /^records?$/i.test(text))
    );
  }

  #ownName(text: string): "itself" | "below" | undefined {
    const read = looksLikeName(text) ? parseName(`${text.replace(/\.$/, "").toLowerCase()}.`) : undefined;
    if (read?.ok !== true || !isAtOrBelow(read.value, this.#domain)) return undefined;
    return read.value === this.#domain ? "itself" : "below";
  }
}
