import { type Judgement, presentOne } from "../../app/messages/judge.ts";
import { type View } from "../view.ts";

/** The result of {@link judgeMessages} for people. */
export function judgeMessagesText(one: Judgement, { style, width }: View): string { return presentOne(one, style, width); }

