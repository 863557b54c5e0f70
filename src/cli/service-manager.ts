import { spawn } from "node:child_process";

/** What a service manager is told of a service. */
type ServiceNotice = "READY=1" | "STOPPING=1" | "WATCHDOG=1";

/**
 * Tells the service manager that started this process how it is, where one listens (`NOTIFY_SOCKET`). It does so by the manager's own
 * program, because a datagram to such a socket cannot be sent from here; where that is missing nothing is told, and the manager says so.
 */
export function tellServiceManager(notice: ServiceNotice, env: Readonly<Record<string, string | undefined>>): void {
  if (env.NOTIFY_SOCKET === undefined || env.NOTIFY_SOCKET === "") return;
  // It is handed none of the secrets that this process was given.
  const { PATH, NOTIFY_SOCKET } = env;
  const child = spawn("systemd-notify", [`--pid=${process.pid}`, notice], { env: { PATH, NOTIFY_SOCKET }, stdio: "ignore" });
  child.on("error", () => undefined);
  child.unref();
}
