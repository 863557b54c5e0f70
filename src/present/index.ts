/** Faces of results: text for terminals, JSON for programs. Computes nothing about the job. */
export * from "./lines.ts";
export * from "./safe.ts";
export * from "./style.ts";
export * from "./time.ts";
