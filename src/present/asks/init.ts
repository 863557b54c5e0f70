import type * as z from "zod";
import type { initialiseSchema } from "../../app/asks/init.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link initialise} for people. */
export function initialiseText({ created, next }: z.output<typeof initialiseSchema>, { style }: Layout): string {
  return `${created.map((file) => `${style.good("written")}  ${file}\n`).join("")}Next: ${style.command(next)} (paste what the service shows, then press Ctrl-D)\n`;
}
