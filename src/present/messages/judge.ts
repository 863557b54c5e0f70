import { type Judgement, presentOne } from "../../app/messages/judge.ts";
import type { Layout } from "../layout.ts";

/** The result of {@link judgeMessages} for people. */
export function judgeMessagesText(one: Judgement, { style, width }: Layout): string {
  return presentOne(one, style, width);
}
