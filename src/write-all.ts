import { writeSync } from "node:fs";

/**
 * Writes all octets to an open file. One call of the system may write a part and say so in its count alone, as on
 * a disk that is nearly full; only the next call then says why.
 */
export function writeAll(file: number, octets: Uint8Array): void {
  for (let at = 0; at < octets.length; ) {
    let count: number;
    try {
      count = writeSync(file, octets, at, octets.length - at);
    } catch (error) {
      // A pipe without room for now; who reads it makes room.
      if ((error as NodeJS.ErrnoException).code !== "EAGAIN") throw error;
      Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 5);
      continue;
    }
    if (count === 0) throw Object.assign(new Error("nothing was written"), { code: "ENOSPC" });
    at += count;
  }
}
