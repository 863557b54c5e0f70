import { join } from "node:path";
import { clause } from "../../core/clause/index.ts";
import { Failure } from "../../core/failure.ts";
import type { KeptOutcome, Sweep, SweepStore } from "../../core/sweep/index.ts";
import { secretsIn } from "../../secrets.ts";
import { findWorkspace, lockBeside, openSweepFile, openSweepQueue, readSecret, withLock } from "../../workspace/index.ts";
import type { AppContext, CommonRequest } from "../context.ts";

/** Where sweeps are kept that no workspace is for. */
const LOOSE_FILE = "zandrel-sweeps.db";

/** The file with the sweeps: in the workspace, or in this folder where there is none. */
function sweepFile({ workspace }: Pick<CommonRequest, "workspace">, { cwd }: Pick<AppContext, "cwd">): string {
  const folder = findWorkspace(cwd, workspace);
  return folder === undefined ? join(cwd, LOOSE_FILE) : join(folder, ".zandrel", "sweeps.db");
}

/** Where a request has its sweeps kept. */
export interface SweepsRequest {
  readonly workspace: string | undefined;
  /** The address of a PostgreSQL database that many machines share, or where it is kept: `env:NAME`, `file:PATH`. */
  readonly queue: string | undefined;
  /** How long a worker may take for a domain before another one gets it (milliseconds). */
  readonly lease?: number;
}

/** How long a worker may take for a domain, where nobody says. */
const LEASE = 600_000;

/** The address of the database that a request names; a password in it is never shown. */
function queueAddress(given: string, { cwd, env }: Pick<AppContext, "cwd" | "env">): string {
  const address = /^(?:env|file):/.test(given) ? readSecret(given, clause("secret-queue"), cwd, env) : given;
  if (address === given && secretsIn(given).length > 0) throw new Failure("queue-secret", { option: "queue" });
  if (!/^postgres(?:ql)?:\/\/[^/]/.test(address)) throw new Failure("queue-form", { option: "queue" });
  return address;
}

/** Opens the sweeps for as long as `work` takes. */
export async function withSweeps<T>(
  request: SweepsRequest,
  context: Pick<AppContext, "cwd" | "env" | "tell">,
  work: (store: SweepStore) => Promise<T>,
): Promise<T> {
  const { queue, lease = LEASE } = request;
  const store = await (queue === undefined
    ? openSweepFile(sweepFile(request, context))
    : openSweepQueue(queueAddress(queue, context), { lease, tell: (said) => context.tell(said) }));
  try {
    return await work(store);
  } finally {
    await store.close();
  }
}

/** The same for a process that goes through a sweep; another one on the same file waits until it is done. */
export const sweeping = <T>(
  request: SweepsRequest,
  context: Pick<AppContext, "cwd" | "env" | "tell">,
  work: (store: SweepStore) => Promise<T>,
): Promise<T> =>
  request.queue !== undefined
    ? withSweeps(request, context, work)
    : withLock(lockBeside(sweepFile(request, context)), "the sweeps", context, () => withSweeps(request, context, work));

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
