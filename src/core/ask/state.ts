import { type Clause, clause } from "../clause/index.ts";
import { displayName } from "../name/index.ts";
import type { Ask, State } from "./ask.ts";
import type { View } from "./view.ts";

/** What an ask's state is derived from. */
export interface Standing {
  readonly ask: Ask;
  readonly views: readonly View[];
  /** Ids of the asks it waits for that are not proven yet. */
  readonly waitingFor: readonly string[];
  /** When the service confirmed it, by the journal; milliseconds since 1970. */
  readonly provenAt: number | undefined;
  /** When it was last seen settled, by the journal. */
  readonly settledAt: number | undefined;
  /** Why it cannot be published as it stands, from the draft. */
  readonly clash: Clause | undefined;
  /** What is beside the records of the ask and keeps them from counting, although all of them are there. */
  readonly contradiction: Clause | undefined;
  /** The likeliest near miss. */
  readonly miss: Clause | undefined;
  /** Why the domain could not be looked at, or is served by nobody. */
  readonly trouble: { readonly kind: "failed" | "not-delegated"; readonly because: Clause } | undefined;
  /** Why resolvers that check signatures refuse what the name servers say. */
  readonly refused?: Clause | undefined;
}

export interface Verdict {
  readonly state: State;
  readonly because: Clause;
}

const names = (views: readonly View[]) => [...new Set(views.map((view) => view.from))];

/** Derives where an ask stands. Pure: the same observations always give the same state. */
export function stateOf({
  ask,
  views,
  waitingFor,
  provenAt,
  settledAt,
  clash,
  contradiction,
  miss,
  trouble,
  refused,
}: Standing): Verdict {
  const missing = (because: Clause): Verdict => {
    if (provenAt !== undefined) return { state: "lapsed", because: clause("state-was-proven", { because }) };
    if (settledAt !== undefined) return { state: "lapsed", because: clause("state-was-settled", { because }) };
    if (miss !== undefined) return { state: "astray", because: miss };
    if (waitingFor.length > 0) return { state: "waiting", because: clause("state-waiting", { waitingFor }) };
    if (clash !== undefined) return { state: "clashing", because: clash };
    return { state: "noted", because };
  };
  if (trouble?.kind === "failed") return { state: "unknown", because: trouble.because };
  if (trouble?.kind === "not-delegated") return missing(trouble.because);
  if (refused !== undefined) return missing(refused);
  if (ask.wants.length === 0) return { state: "noted", because: clause("state-no-records") };
  const authorities = views.filter((view) => view.role === "authoritative");
  const vantages = views.filter((view) => view.role === "vantage");
  const lacking = authorities.filter((view) => view.sees === "old" || view.sees === "nothing");
  const answering = authorities.filter((view) => view.sees !== "unknown");
  const silent = authorities.filter((view) => view.sees === "unknown");
  const unseen = silent.find((view) => !answering.some(({ name, type }) => name === view.name && type === view.type));
  const reason = (view: View | undefined) => (view?.answer.kind === "failed" ? view.answer.detail : clause("state-unresolved"));
  // One server that says no is enough to know that it is not there; silence alone says nothing.
  if (lacking.length > 0) {
    const what = [...new Set(lacking.map((view) => `${displayName(view.name)} ${view.type}`))];
    if (lacking.every((view) => view.absent === true)) return missing(clause("state-still-there", { what }));
    return missing(
      lacking.length === answering.length
        ? clause("state-lacking", { what })
        : clause("state-some-lack", { lacking: names(lacking), what }),
    );
  }
  // A judgement is made from the servers that answer; what none of them shows is not known.
  if (unseen !== undefined || authorities.length === 0) return { state: "unknown", because: reason(unseen) };
  if (contradiction !== undefined) return { state: "astray", because: clause("state-contradicted", { because: contradiction }) };
  if (provenAt !== undefined) return { state: "proven", because: clause("state-still-proven") };
  const old = vantages.filter((view) => view.sees === "old" || view.sees === "nothing");
  if (old.length > 0)
    return {
      state: "spreading",
      because: clause("state-spreading", { old: names(old) }),
    };
  const mute = vantages.filter((view) => view.sees === "unknown");
  if (mute.length > 0 && mute.length === vantages.length)
    return { state: "unknown", because: clause("state-but", { because: reason(mute[0]) }) };
  const unheard = names([...silent, ...mute]);
  if (unheard.length > 0) return { state: "settled", because: clause("state-those-that-answer", { silent: unheard }) };
  return {
    state: "settled",
    because: vantages.length > 0 ? clause("state-everywhere") : clause("state-every-server"),
  };
}
