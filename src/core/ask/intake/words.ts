import { parseType } from "../../record/index.ts";
import { unitIn } from "./times.ts";

/** What a column or a field of a page holds. `other` is understood and of no use here: a status, a remark, a button. */
export type Column =
  | "type"
  | "host"
  | "value"
  | "priority"
  | "ttl"
  | "weight"
  | "port"
  | "service"
  | "protocol"
  | "flags"
  | "tag"
  | "action"
  | "oldValue"
  | "nameServer"
  | "forwardKind"
  | "other";

/** Words of a list, between bars. */
const listed = (text: string): string[] => text.split("|");

/** What screens call the fields of a record, in nine languages. */
const LABELS: Readonly<Record<Column, readonly string[]>> = {
  type: [
    "type|kind|record|record type|type of record|dns type|dns record type|entry type|typ|art|eintragstyp|record-typ",
    "type d'enregistrement|type d’enregistrement|type d'entrée|tipo|tipo de registro|tipo di record|tipo de registo",
    "recordtype|soort|typ rekordu|rodzaj|タイプ|種類|種別|レコードタイプ|レコードの種類",
  ],
  host: [
    "host|hostname|host name|host record|name|record name|dns name|label|alias|subdomain|sub-domain|prefix|owner",
    "fully qualified name|full name|fqdn|dns host|zone record|node|hosteintrag|domainname|subdomäne|nom|nom d'hôte",
    "nom d’hôte|hôte|sous-domaine|nom de domaine|nombre|nombre de host|nombre del host|anfitrión|subdominio",
    "nombre de dominio|nome|nome host|nome do host|anfitrião|subdomínio|sottodominio|nome dell'host|naam|hostnaam",
    "subdomein|nazwa|nazwa hosta|subdomena|ホスト|ホスト名|名前|サブドメイン",
  ],
  value: [
    "value|record value|record data|data|rdata|target|target host|target name|target domain|target value|points to",
    "point to|pointing to|points at|content|contents|answer|destination|text|token|code|verification code",
    "verification token|address|ip|ip address|ip-address|ipv4|ipv6|ipv4 address|ipv6 address|ip-adresse|mail server",
    "mailserver|mail host|mail exchanger|server|canonical name|alias of|alias for|goes to|leads to|new value",
    "new data|expected value|expected data|expected|required value|value to use|should be|correct value|result|wert",
    "ziel|inhalt|zielhost|zieladresse|verweist auf|zeigt auf|valeur|cible|contenu|pointe vers|cible (cname)|adresse",
    "valor|apunta a|contenido|destino|dirección|conteúdo|aponta para|endereço|valore|destinazione|contenuto|punta a",
    "indirizzo|waarde|doel|inhoud|verwijst naar|bestemming|wartość|cel|zawartość|wskazuje na|adres|値|内容|宛先|対象|ターゲット",
  ],
  priority: [
    "priority|prio|preference|pref|mx priority|mx preference|distance|priorität|präferenz|priorité|préférence",
    "prioridad|preferencia|prioridade|preferência|priorità|preferenza|prioriteit|voorkeur|priorytet|優先度|優先順位",
    "プライオリティ",
  ],
  ttl: [
    "ttl|time to live|cache time|gültigkeit|gültigkeitsdauer|durée de vie|tiempo de vida|tempo de vida|durata",
    "levensduur|czas życia|有効期限",
  ],
  weight: ["weight|gewicht|gewichtung|poids|peso|waga|重み"],
  port: ["port|puerto|porta|poort|ポート"],
  service: ["service|srv service|dienst|servicio|serviço|servizio|usługa|サービス"],
  protocol: ["protocol|proto|protokoll|protocole|protocolo|protocollo|protokół|プロトコル"],
  flags: ["flags|flag"],
  tag: ["tag|property"],
  action: ["action|what to do|change|aktion|aktie|acción|ação|azione|akcja"],
  oldValue: [
    "old value|current value|existing value|old data|current data|previous value|current|old|found|detected value",
    "actual value|actual|we found|found value|alter wert|aktueller wert|ancienne valeur|valeur actuelle",
    "valor actual|valor antiguo|valor atual|valore attuale|huidige waarde",
  ],
  nameServer: ["name server|nameserver|nameservers|name servers|dns server|dns servers|serveur de noms|servidor de nombres"],
  forwardKind: ["redirect type|forward type|type of redirect|redirection type|forwarding type|weiterleitungstyp|redirect kind"],
  other: [
    "status|state|verified|verification|verification status|valid|copy|actions|edit|#|no|no.|nr|purpose|description",
    "comment|comments|note|notes|required|mandatory|optional|record purpose|usage|used for|use|provider|class|proxy",
    "proxy status|proxied|reason|check|result status|last checked|zweck|beschreibung|bemerkung|statut|estado|stato",
    "stan|opmerking|ステータス|状態|備考",
  ],
};

const COLUMN_OF: ReadonlyMap<string, Column> = new Map(
  (Object.entries(LABELS) as [Column, readonly string[]][]).flatMap(([column, labels]) =>
    labels.flatMap(listed).map((label) => [label, column] as const),
  ),
);

/** Words that say nothing about which field is meant. */
const FILLERS = new Set(
  "the a an your this that its of for in enter use dns full new required optional mandatory field box column only exact record records entry entries please copy paste".split(
    " ",
  ),
);

/** No heading is longer; a longer cell is not even looked at. */
const MAX_HEADING = 60;

/** What a heading or a label in front of a value says. */
export interface Label {
  readonly column: Column;
  /** The record type it names besides, as in “CNAME name”. */
  readonly type?: string;
  /** The unit of the numbers below it, as in “TTL (min)”. */
  readonly unit?: string;
  /** Whether it says that something is pointed to: a name there is the target of an alias, where no type is named. */
  readonly points?: true;
}

/** What screens call the target of an alias. */
const POINTING: ReadonlySet<string> = new Set(
  [
    "points to|point to|pointing to|points at|target|target host|target name|target domain|canonical name|alias of|alias for",
    "goes to|leads to|verweist auf|zeigt auf|zielhost|pointe vers|cible|apunta a|aponta para|punta a|verwijst naar|wskazuje na",
  ].flatMap(listed),
);

/** The text of a field with the unit that its label names. */
export const withUnit = ({ column, unit }: Label, text: string): string =>
  column === "ttl" && unit !== undefined && /^\d+$/.test(text.trim()) ? `${text.trim()} ${unit}` : text;

/** Signs that pages put beside words: stars of required fields, info marks, pictures. */
const SIGNS = /(?:[*ⓘ🛈\u2139?✱]|\p{Extended_Pictographic}|\ufe0f)+/gu;

/** The field a text names, whatever its case, punctuation and remarks; undefined where it names none, or two. */
export function labelOf(text: string): Label | undefined {
  // A remark in brackets behind a label says nothing of which one it is.
  const remark = /^([^()]{2,40}?)\s*\([^()]{2,60}\)\s*[:：]?$/.exec(text.trim());
  const label = plainLabelOf(text) ?? (remark === null ? undefined : plainLabelOf(remark[1] as string));
  const unit = label?.column === "ttl" ? unitIn(text) : undefined;
  return label === undefined || unit === undefined ? label : { ...label, unit };
}

function plainLabelOf(text: string): Label | undefined {
  if (text.length > MAX_HEADING || /[:：=]\s*\S/.test(text)) return undefined;
  const plain = text
    .toLowerCase()
    .replace(SIGNS, " ")
    .replace(/^\u0027|\u0027$/g, "")
    .replace(/[_`":：]+|\*\*/g, " ")
    .replace(/(?<=\p{L})-(?=\p{L})/gu, (hyphen) => hyphen)
    .replace(/\s+/g, " ")
    .trim();
  if (plain === "") return text.trim() === "#" ? { column: "other" } : undefined;
  const whole = COLUMN_OF.get(plain);
  if (whole !== undefined) return { column: whole, ...(POINTING.has(plain) ? { points: true } : {}) };
  const parts = plain
    .split(/\s*(?:[/(),|]|\bor\b|\boder\b|\bou\b)\s*/)
    .map((part) => phraseOf(part))
    .filter((part) => part !== "filler");
  if (parts.length === 0 || parts.some((part) => part === undefined)) return undefined;
  const labels = parts as readonly Label[];
  const columns = new Set(labels.map(({ column }) => column));
  columns.delete("other");
  // “Name or alias” is one field, and so is “Target host”; “Name / Value” is none.
  if (columns.size > 1 || (columns.size === 0 && labels.every(({ type: of }) => of !== undefined))) return undefined;
  const type = labels.find((label) => label.type !== undefined)?.type;
  const [column = "other"] = columns;
  return { column, ...(type === undefined ? {} : { type }) };
}

/** What a few words without “or” name; `filler` where they say nothing. */
function phraseOf(phrase: string): Label | "filler" | undefined {
  const exact = COLUMN_OF.get(phrase);
  if (exact !== undefined) return { column: exact };
  if (isTypeWord(phrase) && phrase !== "a") return { column: "other", type: phrase.toUpperCase() };
  const words = phrase.split(" ").filter((word) => word !== "" && !FILLERS.has(word));
  if (words.length === 0) return "filler";
  if (words.length > 4) return undefined;
  const type =
    words.length > 1 && isTypeWord(words[0] as string) && words[0] !== "a" ? (words[0] as string).toUpperCase() : undefined;
  const named = (type === undefined ? words : words.slice(1)).join(" ").replace(/ ?#?\d{1,2}$/, "");
  const column =
    COLUMN_OF.get(named) ??
    (/^(?:in )?(?:seconds|secs|sec|minutes|mins|min|hours|hour|days|s|sekunden|minuten|stunden)$/.test(named)
      ? "other"
      : undefined);
  return column === undefined ? undefined : { column, ...(type === undefined ? {} : { type }) };
}

/** Types that pages name beside those of the DNS: not records, but something a DNS host may offer. */
export const FORWARD_TYPES =
  /^(?:url|url redirect|redirect|forward|url forward|web forward|forwarding|url record|301|302|301 redirect)$/i;

/** Whether a word is the name of a record type, in whatever case. */
export const isTypeWord = (word: string): boolean => /^[a-z][a-z0-9]{0,9}$/i.test(word) && parseType(word) !== undefined;

/** The record type that a cell or a short line is about: `TXT`, `TXT record`, `CNAME-Eintrag`, `A (address)`. */
export function typeCell(cell: string): string | undefined {
  const plain = cell
    .replace(SIGNS, " ")
    .replace(/[`*"“”:]/g, " ")
    .trim();
  if (plain.length > 40) return undefined;
  const found =
    /^(?:dns )?(?:type )?([A-Za-z][A-Za-z0-9]{0,9})(?:[- ]?(?:records?|entry|entries|eintrag|type|enregistrement|registro))?(?: ?\([^)]*\))?$/.exec(
      plain,
    )?.[1];
  return found !== undefined && isTypeWord(found) ? found.toUpperCase() : undefined;
}

/** Buttons, states and courtesies: cells that say nothing about a record. */
const NOISE_WORDS: ReadonlySet<string> = new Set(
  [
    "copy|copied|copy to clipboard|click to copy|copy value|copy name|copy host|copy record|edit|delete|remove|add",
    "add record|add records|save|cancel|verify|verify now|verify later|verify domain|verify records|verify dns",
    "check|check again|recheck|check dns|refresh|retry|show|show more|show less|hide|more|less|pending",
    "pending verification|verified|not verified|unverified|not found|not found yet|missing|found|valid|invalid",
    "active|inactive|live|ok|done|error|failed|waiting|unknown|in progress|processing|not set|not configured",
    "configured|incomplete|complete|required|optional|recommended|next|back|previous|close|continue|skip|finish|yes",
    "no|true|false|on|off|auto|automatic|default|n/a|na|none|learn more|help|need help?|details|view details",
    "download|print|share|send by mail|menu|home|dashboard|settings|domains|billing|support|contact support|log out",
    "sign out|search|kopieren|kopiert|bearbeiten|prüfen|ausstehend|nicht gefunden|copier|copié|vérifier|en attente",
    "copiar|copiado|verificar|pendiente|pendente|copia|copiato|verifica|in attesa|kopiëren|gekopieerd|kopiuj",
    "skopiowano|コピー|確認|未確認|確認済み|thank you|many thanks|thanks a lot|best regards|kind regards|best wishes",
    "viele grüße|mit freundlichen grüßen|dank je",
  ].flatMap(listed),
);

/** A value that the page hides behind dots or stars. */
export const HIDDEN = /^[•*●·∙⬤]{4,}$/u;

/** Whether a cell is a button, a state or a mark, and no part of a record. */
export function isNoise(cell: string): boolean {
  if (HIDDEN.test(cell.trim())) return false;
  const plain = cell
    .replace(SIGNS, " ")
    .replace(/[^\p{L}\p{N}/?#@_]+/gu, " ")
    .trim()
    .toLowerCase();
  return plain === "" ? !/[@*-]/.test(cell) || cell.trim() === "" : NOISE_WORDS.has(plain);
}

/** A cell that stands for nothing: `-`, `n/a`, `(none)`. */
export const isEmptyMark = (cell: string): boolean =>
  /^(?:|[-–—]+|n\/?a|none|[([]?(?:none|empty|missing|nothing|no records?(?: found)?|not (?:yet )?(?:set|found|present|configured|published|detected|there))[)\]]?|not applicable|auto|automatic|automatically|default|standard|standaard|domyślne|par défaut|automatisch|自動)$/i.test(
    cell.trim(),
  );

/** Words for “the domain itself” in a host field. */
export const APEX_WORDS =
  /^(?:@|["'`]@["'`]|[-–—]|the )?(?:|root|blank|empty|none|apex|bare|naked|root domain|bare domain|naked domain|apex domain|domain root|your (?:root )?domain|(?:the )?domain itself|main domain|base domain|domain name|your domain name|leer|leer lassen|vide|laisser vide|vacío|dejar en blanco|vuoto|leeg|puste|(?:please )?leave (?:it |this |the |host |name )?(?:field )?(?:blank|empty)|\(?(?:leave (?:this |it )?(?:field )?)?(?:blank|empty)\)?|nothing)$/i;

/** What a sentence or heading says of the records that follow it. */
export const SAYS = {
  remove:
    /\b(?:delete|remove|drop|get rid of|ha(?:s|ve) to go|must go|löschen|entfernen|supprimez?|eliminar?|elimina|borrar|verwijder|usuń|削除)\b/i,
  /** What stands there now, in front of what has to. */
  found:
    /(?:^|\W)(?:current(?:ly)?|at (?:the moment|present)|right now|now|we (?:found|see|saw|detected)|found|detected|existing|actual|your dns (?:now|says|shows)|aktuell|derzeit|zurzeit|gefunden|vorhanden|actuellement|actuel|trouvé|actualmente|actual|encontrado|atualmente|attualmente|attuale|trovato|huidig|momenteel|gevonden|obecnie|obecny|znaleziono)(?=\W|$)/i,
  wanted:
    /(?:^|\W)(?:expected|we expect|should|must|required|needed|new|correct|replace|change (?:it|this|them) to|instead|erwartet|soll(?:te)?|neu|attendu|nouveau|esperado|nuevo|novo|atteso|nuovo|verwacht|nieuw|oczekiwan[ey]|now[ey])(?=\W|$)/i,
  keep: /^\W*(?:keep|no (?:change|action)|none|leave|nothing)\b/i,
  add: /\b(?:add|create|set up|enter|publish|insert|new|use|hinzufügen|anlegen|ajoutez?|añad[ae]r?|agregar?|adicion[ae]r?|aggiungi|voeg|dodaj|追加)\b/i,
  example:
    /(?:\bfor (?:example|instance)\b|\be\.\s?g\.|(?<![\w.])examples?\b\s*[:.]|^\s*(?:sample|example)s?\b|\blooks? (?:like|something like) this\b|\bzum beispiel\b|\bz\. ?b\.|\bpar exemple\b|\bpor ejemplo\b|\bper esempio\b|\bbijvoorbeeld\b|\bna przykład\b|例[:：])/i,
  option:
    /^\W*(?:option|alternative|method|possibility|variant|choice|möglichkeit|opción|opção|opzione|optie|opcja)\s*(?:[a-d1-9]|one|two|three)\b/i,
  either: /^\W*(?:(?:.*\b(?:add|use|choose|set|create)\s+)?either\b|.*\bone of (?:the following|these)\b)/i,
  or: /^\W*(?:or|oder|ou|o|oppure|of|lub|または)\b|\b(?:alternatively|if (?:that|this) is not possible|if your dns (?:host|provider) does not)\b/i,
} as const;
