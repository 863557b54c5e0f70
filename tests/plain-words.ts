/** Phrases of the first texts that nobody says today. */
const BANNED = [
  /\b(?:take|taken|takes|took) (?:[a-z]+ ){0,2}down\b/i,
  /\bways? out\b/i,
  /\bmaster file/i,
  /\bstand-ins?\b/i,
  /\bwhole story\b/i,
  /\bwhat stands? (?:there|at)\b/i,
  /\bnothing stands there\b/i,
  /\bclear the clash/i,
  /\bback from the launch\b/i,
  /\blies outside\b/i,
  /\bnobody gets there\b/i,
  /\beverybody else\b/i,
  /\bwhoever\b/i,
  /\baddresses of IPv[46]\b/i,
  /\bset right first\b/i,
  /\bmail of yours\b/i,
  /\bfor your eyes only\b/i,
  /\bdear terms?\b/i,
  /\bstrangers?\b/i,
  /\bunasked\b/i,
  /\bthose behind it\b/i,
  /\bno good any more\b/i,
  /\bhand(?:ed|ing|s)? (?:it |them )?in\b/i,
  /\bhanded on\b/i,
  /\bas wanted\b/i,
  /\bwants one of\b/i,
  /\bstands? at this name\b/i,
  /\bclashes in one of\b/i,
  /\bleft until the first\b/i,
  /\bin its file\b/i,
  /\bthe zones given\b/i,
  /\bthe terms that follow\b/i,
  /\btwo are none\b/i,
  /\bset right\b/i,
  /\bwould lose\b/i,
  /\bas far as DMARC\b/i,
  /\bnobody says where\b/i,
  /\bcustom know/i,
  /\bclash(?:es)? stands?\b/i,
];

/** Sentences longer than this are read twice. */
const MAX_SENTENCE = 200;

/** The banned phrases of a text, however its lines are broken. */
export const bannedIn = (text: string): string[] => BANNED.flatMap((phrase) => phrase.exec(text.replace(/\s+/g, " "))?.[0] ?? []);

/** What is odd about a text that people read: its banned phrases, and its sentences that are too long. */
export function oddWords(text: string): string[] {
  const long = text
    .split(/(?<=[.!?:;])\s+|\n\s*(?:\n|[-*+|] |\d+\. )/)
    .map((sentence) =>
      sentence
        .replace(/\]\([^)]*\)/g, "]")
        .replace(/\s+/g, " ")
        .trim(),
    )
    .filter((sentence) => sentence.length > MAX_SENTENCE && sentence.split(" ").length > 20)
    .map((sentence) => `“${sentence.slice(0, 60)}…” is longer than ${MAX_SENTENCE}`);
  return [...bannedIn(text), ...long];
}
