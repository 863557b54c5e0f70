/** Faces of results: text for terminals, JSON for programs. Computes nothing about the job. */

export { calendar } from "./calendar.ts";
export { count } from "./english.ts";
export { errorSentence, failureSentence } from "./failures/index.ts";
export { jsonLine } from "./json-line.ts";
export type { Layout } from "./layout.ts";
export * from "./lines.ts";
export * from "./pipeline.ts";
export * from "./safe.ts";
export { sheetMarkdown, sheetPage, sheetText } from "./sheet.ts";
export * from "./style.ts";
export * from "./time.ts";
