import { COMMON_FORM, type Form } from "../../core/change/index.ts";
import type { Domain, Workspace } from "../../workspace/index.ts";

/** The host a domain is served by, for people; undefined where its file names none. */
export const hostTitle = (domain: Domain, workspace: Workspace): string | undefined =>
  domain.host === undefined ? undefined : (workspace.settings.hosts[domain.host]?.title ?? domain.host);

/** The form that records of a domain are entered into: the one its DNS host is described by, or the common one. */
export function formOf(domain: Domain, workspace: Workspace): Form {
  const publish = domain.host === undefined ? undefined : workspace.settings.hosts[domain.host]?.publish;
  return (publish?.way === "by-hand" || publish?.way === "approval" ? publish.form : undefined) ?? COMMON_FORM;
}
