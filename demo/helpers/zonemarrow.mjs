#!/usr/bin/env node
// Lets Zandrel publish at Zonemarrow: one JSON object in, one out (docs/helpers.md).
// ZONEMARROW_API is the address of its API, ZONEMARROW_TOKEN a token that may change the zone.
const { ZONEMARROW_API: api, ZONEMARROW_TOKEN: token } = process.env;

const input = await new Promise((resolve) => {
  let text = "";
  process.stdin.on("data", (chunk) => (text += chunk)).on("end", () => resolve(text));
});
const answer = (value) => process.stdout.write(`${JSON.stringify({ version: 1, ...value })}\n`);
const stop = (words) => {
  process.stderr.write(`${words}\n`);
  process.exit(1);
};

if (!api || !token) stop("set ZONEMARROW_API and ZONEMARROW_TOKEN");
const request = JSON.parse(input);
if (request.contract !== "zandrel-helper" || request.version !== 1) stop("this helper speaks version 1 of the contract");

async function call(method, zone, { name, type }, body) {
  const url = `${api}/zones/${encodeURIComponent(zone)}/sets/${encodeURIComponent(name)}/${type}`;
  const headers = { authorization: `Bearer ${token}`, ...(body ? { "content-type": "application/json" } : {}) };
  try {
    return await fetch(url, {
      method,
      headers,
      ...(body ? { body: JSON.stringify(body) } : {}),
      signal: AbortSignal.timeout(10_000),
    });
  } catch (error) {
    throw new Error(`Zonemarrow cannot be reached (${error.cause?.code ?? error.name})`);
  }
}

/** What Zonemarrow said, in its own words. */
async function refusalOf(response, { name, type }) {
  const text = await response.text().catch(() => "");
  let said = text;
  try {
    said = JSON.parse(text).error ?? text;
  } catch {
    // It said something else than JSON.
  }
  return `Zonemarrow answered ${response.status}${said === "" ? "" : ` “${String(said).slice(0, 200)}”`} for ${name} ${type}`;
}

async function read(zone, set) {
  const response = await call("GET", zone, set);
  if (response.status === 404) return null;
  if (!response.ok) throw new Error(await refusalOf(response, set));
  return response.json();
}

const same = (a, b) =>
  JSON.stringify(a && { ttl: a.ttl, data: [...a.data].sort() }) === JSON.stringify(b && { ttl: b.ttl, data: [...b.data].sort() });

async function apply({ zone, changes }) {
  // Nothing is touched unless every set is as Zandrel saw it.
  try {
    for (const change of changes)
      if (!same(await read(zone, change), change.before))
        return { outcome: "moved", reason: `${change.name} ${change.type} is not as it was` };
  } catch (error) {
    return { outcome: "refused", reason: error.message };
  }
  let done = 0;
  for (const change of changes) {
    try {
      const response = change.after ? await call("PUT", zone, change, change.after) : await call("DELETE", zone, change);
      if (!response.ok) throw new Error(await refusalOf(response, change));
    } catch (error) {
      return { outcome: done === 0 ? "refused" : "partly", reason: `${error.message}, after ${done} of ${changes.length}` };
    }
    done += 1;
  }
  return { outcome: "done" };
}

switch (request.action) {
  case "describe":
    answer({ contract: "zandrel-helper", title: "Zonemarrow", atomic: false });
    break;
  case "read":
    try {
      answer({ sets: await Promise.all(request.sets.map(async (set) => ({ ...set, set: await read(request.zone, set) }))) });
    } catch (error) {
      stop(error.message);
    }
    break;
  case "change":
    answer(await apply(request));
    break;
  default:
    stop(`this helper does not know the action ${request.action}`);
}
