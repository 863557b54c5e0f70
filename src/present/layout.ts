import type { Style } from "./style.ts";

/** How a text is laid out: its colours, and the columns it may take. */
export interface Layout {
  readonly style: Style;
  readonly width: number;
}
