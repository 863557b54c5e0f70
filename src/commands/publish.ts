import { z } from "zod";
import { draftHold, pending } from "../core/change/index.ts";
import { liveAt } from "../core/lookup/index.ts";
import { type DomainName, displayName } from "../core/name/index.ts";
import { visibleBy } from "../core/spread/index.ts";
import { EXIT, UserError } from "../core/user-error.ts";
import { count, deadline, isoTime, visible, wrap } from "../present/index.ts";
import { openWorkspace, pickDomains } from "../workspace/index.ts";
import { command } from "./command.ts";
import { DRAFTING, makeDrafts } from "./draft.ts";
import { nameOperand, openLooking } from "./looking.ts";
import { expectPublishable, publishChanges, publisherFor, settleInterrupted, whatMoved } from "./publication.ts";
import { typed } from "./shapes.ts";
import { draftSource } from "./survey.ts";

const result = z.object({
  at: z.string(),
  published: z.array(
    z.object({
      domain: z.string(),
      way: z.string(),
      to: z.string(),
      changed: z.number().describe("record sets changed; 0 where everything was there already"),
      because: z.string(),
      visible: z.object({ latest: z.string().nullable(), because: z.string() }),
    }),
  ),
});
type Result = z.output<typeof result>;

export default command<Result>({
  name: "publish",
  operands: "[DOMAIN..]",
  summary: "carry the draft out: by signed dynamic update, or into a master file",
  examples: [
    ["zandrel publish brackwater.example", "the way its DNS host is reached"],
    ["zandrel publish brackwater.example --into brackwater.zone", "edit a master file in place"],
  ],
  options: {
    ...DRAFTING,
    resolver: {
      type: "string",
      array: true,
      requiresArg: true,
      describe: "ask this resolver instead of the workspace's vantages (repeatable)",
    },
    timeout: { type: "number", default: 5, requiresArg: true, describe: "longest wait for one answer, in seconds" },
  },
  schema: result,
  async run(args, context) {
    const workspace = openWorkspace(context.cwd, args.workspace as string | undefined);
    const domains = pickDomains(workspace, args._.map(nameOperand));
    const looking = openLooking(
      args,
      context,
      workspace.settings,
      domains.map((domain) => domain.name),
    );
    const journal = await workspace.openJournal();
    try {
      for (const domain of domains)
        for (const line of await settleInterrupted(domain, looking, workspace, journal)) context.note(`${visible(line)}\n`);
      const drafts = await makeDrafts(args, workspace, looking, journal, domains);
      // Everything that can be wrong is found before the first change leaves.
      for (const draft of drafts) expectPublishable(draft);
      const ready = domains.map((domain, i) => {
        const changes = drafts[i] === undefined ? [] : pending(drafts[i]);
        return {
          domain,
          changes,
          hold: drafts[i] === undefined ? undefined : draftHold(drafts[i]),
          publisher: changes.length === 0 ? undefined : publisherFor(domain, workspace, args, context),
        };
      });
      const published: Result["published"] = [];
      for (const { domain, changes, hold, publisher } of ready) {
        if (publisher === undefined) {
          published.push({
            domain: domain.name,
            way: "none",
            to: "",
            changed: 0,
            because: "everything asked for is there already",
            visible: { latest: null, because: "nothing was changed" },
          });
          continue;
        }
        const outcome = await publishChanges(domain, changes, publisher, journal, context);
        const done = published.filter((one) => one.changed > 0);
        const before =
          done.length === 0
            ? ""
            : ` (${done.map((one) => displayName(one.domain as DomainName)).join(", ")} was published before this)`;
        switch (outcome.kind) {
          case "published":
            break;
          case "moved": {
            // The memo of this run holds what the draft saw; what is there now needs a fresh look.
            const fresh = openLooking(args, context, workspace.settings, [domain.name]);
            const source = draftSource(domain, await fresh.look(domain), fresh, workspace, args.into as string | undefined);
            const moved =
              source === undefined
                ? outcome.because
                : await whatMoved(domain, changes, (name, type) => liveAt(source, domain.name, name, type));
            fresh.close();
            throw new UserError(
              `nothing was published for ${displayName(domain.name)}, because somebody changed the zone meanwhile: ${moved}; run zandrel draft ${typed(domain.name)} and decide again${before}.`,
              EXIT.not,
            );
          }
          case "unknown":
            throw new UserError(
              `it is not known whether ${displayName(domain.name)} was changed: ${outcome.because}; ${outcome.remedy}${before}.`,
              EXIT.undetermined,
            );
          case "not-published":
            throw new UserError(
              `nothing was published for ${displayName(domain.name)}: ${outcome.because}; ${outcome.remedy}${before}.`,
              EXIT.undetermined,
            );
        }
        const now = context.clock.now();
        published.push({
          domain: domain.name,
          way: publisher.way,
          to: publisher.to,
          changed: changes.length,
          because: outcome.because,
          visible:
            hold === undefined
              ? { latest: null, because: "it is not known what stood there before" }
              : { latest: isoTime(visibleBy(now, hold)), because: hold.because },
        });
      }
      return { exit: EXIT.ok, result: { at: isoTime(context.clock.now()), published } };
    } finally {
      journal.close();
      looking.close();
    }
  },
  present({ published, at }, { style, width }) {
    const now = Date.parse(at);
    const blocks = published.map(({ domain, changed, to, because, visible: seen }) => {
      const name = displayName(domain as DomainName);
      if (changed === 0) return `${style.title(name)}  nothing to do: ${because}.`;
      const by =
        seen.latest === null
          ? ""
          : `\nEveryone sees it by ${style.strong(deadline(Date.parse(seen.latest), now))} at the latest:\n${wrap(`${visible(seen.because)}.`, width)}`;
      const next = `\nDo not press verify at the service yet. Next: ${style.command(`zandrel watch ${typed(domain as DomainName)}`)}`;
      return `${style.title(name)}  ${style.good(`${count(changed, "record set")} published`)} at ${visible(to)}\n${wrap(`${visible(because)}.`, width)}${by}${next}`;
    });
    return `${blocks.join("\n\n")}\n`;
  },
});
