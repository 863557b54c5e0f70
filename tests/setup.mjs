import { existsSync } from "node:fs";

/** The tests through the built program need the build; `npm test` makes it first. */
export default function setup() {
  if (!existsSync(new URL("../dist/zandrel.cjs", import.meta.url)))
    throw new Error("dist/zandrel.cjs is missing: run npm run build first");
}
