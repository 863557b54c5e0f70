import picocolors from "picocolors";

/** How things are marked on a terminal; without colour the words alone carry the meaning. */
export type Style = ReturnType<typeof styleFor>;

export function styleFor(colour: boolean) {
  const { bold, gray, green, red, yellow, cyan, blue, magenta } = picocolors.createColors(colour);
  return {
    title: bold,
    strong: bold,
    quiet: gray,
    good: green,
    bad: red,
    careful: yellow,
    /** Something to type. */
    command: cyan,
    added: green,
    removed: red,
    state: (state: string, text = state): string => {
      switch (state) {
        case "proven":
        case "settled":
        case "new":
          return green(text);
        case "spreading":
        case "found":
        case "old":
          return blue(text);
        case "waiting":
        case "noted":
        case "nothing":
          return text;
        case "unknown":
          return magenta(text);
        default:
          return state === "lapsed" || state === "clashing" || state === "absent" ? red(text) : yellow(text);
      }
    },
  };
}

/** A mark in front of each state, so that colour is never the only difference. */
export const STATE_MARK: Readonly<Record<string, string>> = {
  waiting: "…",
  noted: "○",
  clashing: "✗",
  astray: "!",
  spreading: "◐",
  settled: "●",
  proven: "✓",
  lapsed: "✗",
  unknown: "?",
  found: "●",
  absent: "○",
  new: "✓",
  old: "◐",
  nothing: "○",
};
