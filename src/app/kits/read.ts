import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import {
  findWorkspace,
  type KitFile,
  keptKits,
  lockWorkspace,
  parseKit,
  readKit,
  type Workspace,
} from "../../workspace/index.ts";
import type { AppContext } from "../context.ts";

const isAddress = (text: string): boolean => /^https?:\/\//i.test(text);

/** How long the address of a kit is waited for, in milliseconds. */
const PATIENCE = 15_000;

/**
 * The kit that a request names: one of the workspace, a file, or an address. A kit from an address is kept, and known again by its
 * hash: where it changed since, the change is shown, and used only when the person agrees to it.
 */
export async function namedKit(
  given: string,
  { folder, settings }: Workspace,
  context: AppContext,
  { accept, dryRun }: { readonly accept: boolean; readonly dryRun: boolean },
): Promise<KitFile> {
  const { keptKit, kitHash, nameOfKitAt, pinKit } = await keptKits();
  const kept = Object.entries(settings.kits).find(([name, { url }]) => name === given || url === given);
  if (!isAddress(given) && kept === undefined) return readKit(folder, context.cwd, given);
  const [name, url, pin] = kept === undefined ? [nameOfKitAt(given), given, undefined] : [kept[0], kept[1].url, kept[1].sha256];
  const before = keptKit(folder, name);
  const { fetchKit } = await import("../../net/kit-source.ts");
  const fetched = await fetchKit(url, PATIENCE);
  if (!fetched.ok) {
    // What was agreed to once is still good where its address cannot be asked.
    if (before !== undefined && pin !== undefined && kitHash(before) === pin) {
      await context.tell(clause("told-kit-before", { name, because: fetched.error }));
      return parseKit(`kits/${name}`, before);
    }
    throw new Failure("kit-unreachable", { url, because: fetched.error });
  }
  const text = fetched.value;
  const read = parseKit(url, text);
  // What is kept already was agreed to: a run that was stopped may have kept it without its hash.
  const isKept = before === text;
  if (pin === undefined && before !== undefined && !isKept) throw new Failure("kit-name-taken", { name, url });
  if (pin !== undefined && kitHash(text) !== pin && !isKept && !accept) {
    const changes = linesChanged(before ?? "", text);
    const agreed = context.interactive && (await context.choose({ kind: "kit-changed", name, changes })) === "yes";
    if (!agreed) throw new Failure("kit-changed", { name, url, changes });
  }
  if (!dryRun && (pin === undefined || kitHash(text) !== pin))
    await lockWorkspace(folder, context, () => pinKit(folder, name, url, text));
  return read;
}

/** A kit that is only looked at: of the workspace, where there is one, from a file, or from an address. */
export async function kitToShow(
  given: string,
  request: { readonly workspace: string | undefined },
  context: AppContext,
): Promise<KitFile> {
  const folder = findWorkspace(context.cwd, request.workspace) ?? context.cwd;
  if (!isAddress(given)) return readKit(folder, context.cwd, given);
  const { fetchKit } = await import("../../net/kit-source.ts");
  const fetched = await fetchKit(given, PATIENCE);
  if (!fetched.ok) throw new Failure("kit-unreachable", { url: given, because: fetched.error });
  return parseKit(given, fetched.value);
}

/** The lines that went and those that came, in their order; `-` and `+` stand before them; none where the same lines changed places. */
function linesChanged(before: string, after: string): string[] {
  const [was, is] = [before, after].map((text) => new Set(text.split(/\r?\n/))) as [Set<string>, Set<string>];
  const gone = [...was].filter((line) => !is.has(line)).map((line) => `- ${line}`);
  const come = [...is].filter((line) => !was.has(line)).map((line) => `+ ${line}`);
  return [...gone, ...come];
}
