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
];

/** Sentences longer than this are read twice. */
const MAX_SENTENCE = 200;

/** What is odd about a text that people read: its banned phrases, and its sentences that are too long. */
export function oddWords(text: string): string[] {
  const plain = text.replace(/\x1b\[[0-9;]*m/g, "");
  const banned = BANNED.flatMap((phrase) => phrase.exec(plain)?.[0] ?? []);
  const long = plain
    .split(/(?<=[.!?:;])\s+|\n\s*(?:\n|[-*+|] |\d+\. )/)
    .map((sentence) =>
      sentence
        .replace(/\]\([^)]*\)/g, "]")
        .replace(/\s+/g, " ")
        .trim(),
    )
    .filter((sentence) => sentence.length > MAX_SENTENCE && sentence.split(" ").length > 20)
    .map((sentence) => `“${sentence.slice(0, 60)}…” is longer than ${MAX_SENTENCE}`);
  return [...banned, ...long];
}
