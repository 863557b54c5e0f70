import { resolve } from "node:path";
import { fillIn } from "../../core/change/index.ts";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import { printData, type RecordSet } from "../../core/record/index.ts";
import { editZone, type SetChange } from "../../core/zone/index.ts";
import type { HelperSet } from "../../net/helper.ts";
import { type Domain, lockBeside, replaceFile, type Workspace, withLock } from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";
import { type DnsRequest, hostServer, readZoneFile } from "../dns/context.ts";
import { tsigKey } from "../dns/tsig-key.ts";
import { APPROVAL_WINDOW } from "../hosts/granted.ts";
import { formOf } from "../standing/host.ts";
import type { ApprovalOptions, Publisher, PublishOutcome } from "./ways.ts";

const today = (now: number): string => new Date(now).toISOString().slice(0, 10).replaceAll("-", "");

/** The publisher of a domain: into a zone file named on the command line, or the way its DNS host is reached. */
export function publisherFor(
  domain: Domain,
  workspace: Workspace,
  request: DnsRequest & ApprovalOptions,
  context: AppContext,
): Publisher {
  const into = request.into;
  if (into !== undefined) return zoneFilePublisher(domain, resolve(context.cwd, into), into, workspace, request, context);
  const host = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host];
  if (host === undefined) throw new Failure("no-host", { path: domain.path });
  const { publish } = host;
  switch (publish.way) {
    case "zone-file":
      return zoneFilePublisher(domain, resolve(workspace.folder, publish.file), publish.file, workspace, request, context);
    case "update": {
      const server = hostServer(publish.server, workspace.settings.defaults.authorityPort);
      const key = tsigKey(publish.key, host.title, workspace.folder, context.env);
      return {
        way: "update",
        to: `${host.title} (${publish.server})`,
        where: { server: publish.server },
        underWay: 2 * request.timeout,
        async apply(changes) {
          // A signature counts against the server's real clock, not a lab's.
          const now = Math.floor(Date.now() / 1000);
          const { sendUpdate } = await import("../../net/update.ts");
          const outcome = await sendUpdate({ server, apex: domain.name, key, changes, now, timeout: request.timeout });
          switch (outcome.kind) {
            case "done":
              return { kind: "published", because: clause("publish-one-update", { title: host.title }) };
            case "conflict":
              return { kind: "conflict", because: outcome.detail };
            case "unknown":
              return { kind: "unknown", because: outcome.detail, remedy: outcome.remedy };
            default:
              return {
                kind: "not-published",
                reason: outcome.kind,
                because: outcome.detail,
                remedy: outcome.remedy,
              };
          }
        },
      };
    }
    case "helper":
      return helperPublisher(domain, host.title, publish.command, workspace, request, context);
    case "approval":
      return {
        way: "approval",
        to: host.title,
        where: {},
        underWay: APPROVAL_WINDOW,
        ...lazyApproval(async () => {
          const { approvalOf } = await import("./approval.ts");
          return approvalOf(domain, { host: domain.host as string, title: host.title, workspace, request, context });
        }),
      };
    case "by-hand": {
      return {
        way: "by-hand",
        to: host.title,
        where: {},
        underWay: 0,
        apply: async (changes) => ({
          kind: "by-hand",
          because: clause("publish-enter", { title: host.title, some: false }),
          sheet: fillIn(changes, domain.name, formOf(domain, workspace)),
        }),
      };
    }
  }
}

/** A publisher that is loaded with its first use. */
function lazyApproval(load: () => Promise<Pick<Publisher, "prepare" | "apply">>): Required<Pick<Publisher, "prepare" | "apply">> {
  let loading: ReturnType<typeof load> | undefined;
  const loaded = () => (loading ??= load());
  return {
    prepare: async (changes) => (await loaded()).prepare?.(changes) ?? changes,
    apply: async (changes) => (await loaded()).apply(changes),
  };
}

function zoneFilePublisher(
  domain: Domain,
  path: string,
  shown: string,
  { settings: { defaults } }: Workspace,
  request: DnsRequest,
  context: AppContext,
): Publisher {
  const edit = (changes: readonly SetChange[]): PublishOutcome => {
    const { document, options } = readZoneFile(context.cwd, path, [domain.name], defaults.ttl, request.includeFrom);
    const edited = editZone(document, changes, options, today(context.clock.now()));
    if (!edited.ok) {
      const { error } = edited;
      switch (error.code) {
        case "conflict":
          return {
            kind: "conflict",
            because: clause("publish-file-moved", { shown, name: error.change.name }),
          };
        case "included":
          return {
            kind: "not-published",
            reason: "not-set-up",
            because: clause("publish-file-included", {
              type: error.change.type,
              name: error.change.name,
              file: error.file,
              shown,
            }),
            remedy: clause("publish-file-included-mend"),
          };
        case "signed":
          return {
            kind: "not-published",
            reason: "not-set-up",
            because: clause("publish-file-signed", { shown }),
            remedy: clause("publish-file-signed-mend"),
          };
        case "no-soa":
          return {
            kind: "not-published",
            reason: "not-set-up",
            because: clause("publish-file-no-soa", { shown }),
            remedy: clause("publish-file-no-soa-mend"),
          };
      }
    }
    replaceFile(path, edited.value.text, { encoding: "latin1" });
    return {
      kind: "published",
      because: clause("publish-file-serial", { shown, serial: edited.value.serial }),
    };
  };
  // Two who publish into one file at once would each write what they read, and one of them would be lost.
  const apply = (changes: readonly SetChange[]) => withLock(lockBeside(path), shown, context, () => edit(changes));
  return { way: "zone-file", to: shown, where: { file: path }, underWay: 0, apply };
}

const helperSetOf = (set: RecordSet | undefined): HelperSet | null =>
  set === undefined ? null : { ttl: set.ttl, data: set.data.map((data) => printData(set.type, data)) };

function helperPublisher(
  domain: Domain,
  title: string,
  program: readonly string[],
  workspace: Workspace,
  request: DnsRequest,
  context: AppContext,
): Publisher {
  const timeout = Math.max(30_000, request.timeout);
  return {
    way: "helper",
    to: title,
    where: {},
    underWay: timeout,
    async apply(changes) {
      const call = {
        action: "change" as const,
        zone: domain.name,
        changes: changes.map((change) => ({
          name: change.name,
          type: change.type,
          before: helperSetOf(change.before),
          after: helperSetOf(change.after),
        })),
      };
      const { runHelper } = await import("../../net/helper.ts");
      const answer = await runHelper(program, call, {
        cwd: workspace.folder,
        env: context.env,
        timeout,
      });
      const remedy = clause("publish-run-status");
      if (!answer.ok)
        return answer.error.sent
          ? { kind: "unknown", because: answer.error.detail, remedy }
          : {
              kind: "not-published",
              reason: "not-set-up",
              because: answer.error.detail,
              remedy: clause("publish-correct-command"),
            };
      const { reason } = answer.value;
      switch (answer.value.outcome) {
        case "done":
          return { kind: "published", because: clause("publish-helper-done", { title }) };
        case "moved":
          return { kind: "conflict", because: clause("publish-moved", { title, reason }) };
        case "refused":
          return {
            kind: "not-published",
            reason: "refused",
            because: clause("publish-refused", { title, reason }),
            remedy: clause("publish-see-helper"),
          };
        case "partly":
          return { kind: "unknown", because: clause("publish-only-part", { title, reason }), remedy };
      }
    },
  };
}
