import { type Clause, clause } from "../../core/clause/index.ts";
import { type DomainName, name as nameOf, under, withoutRootDot } from "../../core/name/index.ts";
import { decodeUtf8, isOfType, txtValue } from "../../core/record/index.ts";
import { err, type Result } from "../../core/result.ts";
import type { ApprovalFailure, ApprovalHost } from "../../net/index.ts";
import type { DnsContext } from "../dns/context.ts";

/** The label at which a zone says where its DNS host takes approvals, in the open set-up protocol. */
const DISCOVERY = nameOf("_domainconnect");

/** Why a DNS host takes no approval. */
export type NoApproval = Pick<ApprovalFailure, "kind"> & { readonly because: Clause };

/**
 * Whether the DNS host of a zone takes approvals, by its discovery record and the settings behind it. What the DNS says is from
 * outside: it only ever leads to an https address, or to this machine.
 */
export async function approvalHostOf(
  zone: DomainName,
  dns: DnsContext,
  timeout: number,
): Promise<Result<ApprovalHost, NoApproval>> {
  const at = under(DISCOVERY, zone);
  const answer = at === undefined ? undefined : await dns.world.ask(at, "TXT");
  if (answer?.kind === "failed") return err({ kind: "unanswered", because: answer.detail });
  const texts =
    answer?.kind === "found" && isOfType(answer.set, "TXT") ? answer.set.data.map((data) => decodeUtf8(txtValue(data))) : [];
  const { readHostSettings, settingsAddress } = await import("../../net/approval.ts");
  const [address] = texts.flatMap((text) => settingsAddress(text.trim(), withoutRootDot(zone)) ?? []);
  if (address === undefined)
    return err({
      kind: "not-offered",
      because: clause(texts.length === 0 ? "approve-not-offered" : "approve-no-host-name"),
    });
  const read = await readHostSettings(address, timeout);
  return read;
}
