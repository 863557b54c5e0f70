import { resolve } from "node:path";
import { replaceFile } from "../workspace/index.ts";
import type { AppContext } from "./context.ts";

/** Saves a text that a command was asked to write, whole or not at all; relative paths start where the person is. */
export const saveText = ({ cwd }: Pick<AppContext, "cwd">, file: string, text: string): void =>
  replaceFile(resolve(cwd, file), text);
