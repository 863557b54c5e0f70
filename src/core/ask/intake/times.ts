/** Seconds in a unit of time, in nine languages; matched at the beginning of the word behind a number. */
const UNITS: readonly (readonly [RegExp, number])[] = [
  [/^(?:s|sec|secs|seconds?|sekunden?|secondes?|segundos?|secondi|seconden|sekund[ay]?|秒)\b|^秒/i, 1],
  [/^(?:m|min|mins|minutes?|minuten?|minutos?|minuti|minuut|minut[ay]?)\b|^分/i, 60],
  [/^(?:h|hr|hrs|hours?|stunden?|heures?|horas?|or[ae]|uur|uren|godzin[ay]?)\b|^時間/i, 3600],
  [/^(?:d|days?|tage?|jours?|d[ií]as?|giorn[oi]|dag(?:en)?|dni|dzień)\b|^日/i, 86_400],
  [/^(?:w|weeks?|wochen?|semaines?|semanas?|settiman[ae]|week|weken|tydzie[nń]|tygodni[ea]?)\b|^週/i, 604_800],
];

/** Numbers that are written as words. */
const NUMBER_WORDS: Readonly<Record<string, number>> = {
  ...{ a: 1, an: 1, one: 1, two: 2, three: 3, four: 4, five: 5, six: 6, eight: 8, ten: 10, twelve: 12, fifteen: 15 },
  ...{
    thirty: 30,
    half: 0.5,
    ein: 1,
    eine: 1,
    einen: 1,
    zwei: 2,
    une: 1,
    un: 1,
    una: 1,
    deux: 2,
    dos: 2,
    due: 2,
    een: 1,
    twee: 2,
  },
};

/** Seconds of several units in a row, such as `1h30m`; undefined where it is something else. */
function compoundSeconds(text: string): number | undefined {
  const parts = [...text.matchAll(/(\d{1,9})\s*([a-z]+)/gi)];
  if (parts.length < 2 || text.replace(/(\d{1,9})\s*([a-z]+)|[\s,]|and|und/gi, "") !== "") return undefined;
  const seconds = parts.map(
    ([, number, unit = ""]) => Number(number) * (UNITS.find(([name]) => name.test(unit))?.[1] ?? Number.NaN),
  );
  const sum = seconds.reduce((all, one) => all + one, 0);
  return Number.isNaN(sum) ? undefined : sum;
}

/** “half an hour”, “one day”, “a quarter of an hour” as digits with their unit. */
function wordsAsDigits(text: string): string {
  const found = /^\W*(?:a )?(?<quarter>quarter) of an? (?<of>\p{L}+)|^\W*(?<number>\p{L}+)(?: an?)? (?<unit>\p{L}+)/iu.exec(
    text,
  )?.groups;
  if (found?.quarter !== undefined) return `15 ${/hour/i.test(found.of ?? "") ? "min" : "x"}`;
  const amount = NUMBER_WORDS[found?.number?.toLowerCase() ?? ""];
  return amount === undefined ? text : `${amount} ${found?.unit}`;
}

/** Seconds of a TTL as pages write it: `3600`, `1h`, `30 minutes`, `1/2 hour`, `3600 (1 hour)`; undefined where it is left to the host. */
export function ttlSeconds(text: string): number | undefined {
  const plain = wordsAsDigits(text.trim()).replace(/(?<=^\W*\d{1,3})(?:[ .,\u0027’\u00a0]\d{3})+(?![\d.,])/u, (groups) =>
    groups.replace(/\D/g, ""),
  );
  const compound = compoundSeconds(plain);
  if (compound !== undefined) return compound > 0 && compound <= 0x7fffffff ? compound : undefined;
  const found = /^\W*(?:(\d{1,3})\s*\/\s*(\d{1,3})|(\d{1,10}(?:[.,]\d{1,2})?))\s*(.*)$/su.exec(plain);
  if (found === null) return undefined;
  const [, over, under, number, behind = ""] = found;
  const amount = number === undefined ? Number(over) / Number(under) : Number(number.replace(",", "."));
  const unit =
    UNITS.find(([name]) => name.test(behind.trim()))?.[1] ?? (behind.trim() === "" || /^[(\W]/.test(behind) ? 1 : undefined);
  const seconds = unit === undefined ? Number.NaN : Math.round(amount * unit);
  return seconds > 0 && seconds <= 0x7fffffff ? seconds : undefined;
}

/** The unit that a label of times names. */
export const unitIn = (text: string): string | undefined =>
  /\b(min(?:ute[ns]?)?|hours?|stunden|heures?|horas?|days?|tage)\b/i.exec(text)?.[1];
