import { join } from "node:path";
import { Failure } from "../../core/failure.ts";
import type { KeptOutcome, Sweep, SweepStore } from "../../core/sweep/index.ts";
import { findWorkspace, lockBeside, openSweepFile, withLock } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";

/** Where sweeps are kept that no workspace is for. */
const LOOSE_FILE = "zandrel-sweeps.db";

/** The file with the sweeps: in the workspace, or in this folder where there is none. */
function sweepFile({ workspace }: Pick<CommonRequest, "workspace">, { cwd }: Pick<AppContext, "cwd">): string {
  const folder = findWorkspace(cwd, workspace);
  return folder === undefined ? join(cwd, LOOSE_FILE) : join(folder, ".zandrel", "sweeps.db");
}

/** Opens the sweeps for as long as `work` takes. */
export async function withSweeps<T>(
  request: Pick<CommonRequest, "workspace">,
  context: Pick<AppContext, "cwd">,
  work: (store: SweepStore) => Promise<T>,
): Promise<T> {
  const store = await openSweepFile(sweepFile(request, context));
  try {
    return await work(store);
  } finally {
    await store.close();
  }
}

/** The same for a process that goes through a sweep; another one that wants to waits until it is done. */
export const sweeping = <T>(
  request: Pick<CommonRequest, "workspace">,
  context: Pick<AppContext, "cwd" | "note">,
  work: (store: SweepStore) => Promise<T>,
): Promise<T> =>
  withLock(lockBeside(sweepFile(request, context)), "the sweeps", context, () => withSweeps(request, context, work));

/** A sweep by its name; the newest where none is named. */
export async function namedSweep(store: SweepStore, name: string | undefined): Promise<Sweep> {
  const sweeps = await store.sweeps();
  const sweep = name === undefined ? sweeps[0] : await store.byName(name);
  if (sweep === undefined) throw new Failure("unknown-sweep", { given: name ?? "", known: sweeps.map((one) => one.name) });
  return sweep;
}

/** Outcomes that are read at once. */
const PAGE = 500;

/** Every outcome of a sweep after one of them, in the order in which they were kept. */
export async function* outcomesOf(store: SweepStore, sweep: Sweep, after = 0): AsyncGenerator<KeptOutcome> {
  for (;;) {
    const outcomes = await store.outcomes(sweep, after, PAGE);
    yield* outcomes;
    after = outcomes.at(-1)?.sequence ?? after;
    if (outcomes.length < PAGE) return;
  }
}
