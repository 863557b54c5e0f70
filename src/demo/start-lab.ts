import { Failure } from "../core/failure.ts";
import type { DomainName } from "../core/name/index.ts";

/** Where the lab's story begins. */
export const LAB_START = "2026-03-02T09:00:00Z";

/** Starts the simulated services; what keeps them from starting is said in one sentence. */
export async function startLab(options: {
  readonly start: number;
  readonly speed?: number;
  readonly port: number;
  readonly domains?: readonly DomainName[];
  readonly signed?: boolean;
}) {
  const lab = await import("../lab/index.ts");
  const started = await lab.startLab(options).catch((error) => {
    throw labFailure(error, options.port);
  });
  return { lab: started, passDays: lab.passDays };
}

/** Turns the ways a lab fails to start into failures that say what to do. */
function labFailure(error: unknown, first: number): unknown {
  const { code, port = first } = error as NodeJS.ErrnoException & { readonly port?: number };
  if (code === "EADDRINUSE") return new Failure("port-taken", { port, first });
  if (code === "EADDRNOTAVAIL") return new Failure("no-loopback", {});
  return code === "EACCES" ? new Failure("port-rights", { port: first }) : error;
}
