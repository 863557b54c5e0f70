import * as z from "zod";
import { allInWords } from "./clauses/index.ts";
import { jsonText } from "./safe.ts";

/** One result as a line of JSON, in the shape its schema publishes. */
export const jsonLine = <T>(schema: z.ZodType<T>, result: T): string => `${jsonText(z.encode(schema, allInWords(result)))}\n`;
