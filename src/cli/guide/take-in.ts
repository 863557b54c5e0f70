import { log } from "@clack/prompts";
import { initialise } from "../../app/asks/init.ts";
import { intake } from "../../app/asks/intake.ts";
import { NOTHING_NAMED } from "../../app/asks/intake-request.ts";
import { knownHere } from "../../app/known-here.ts";
import { NO_HOST_OPTIONS, setDnsHost } from "../../app/publishing/set-host.ts";
import { Failure } from "../../core/failure.ts";
import { type DomainName, displayName, name, parseName, withoutRootDot } from "../../core/name/index.ts";
import { intakeText } from "../../present/asks/intake.ts";
import { failureSentence } from "../../present/failures/index.ts";
import { visible } from "../../present/safe.ts";
import type { Context } from "../command.ts";
import { readPaste } from "../paste.ts";
import { type GuideRequest, Left, pick, show, talking, typed } from "./conversation.ts";

/** The domain the conversation is about: named, picked, or new. */
export async function domainOf(request: GuideRequest, context: Context): Promise<DomainName> {
  const [given] = request.operands;
  const known = knownHere(context, request.workspace);
  const domains = known?.domains.map((domain) => domain.name) ?? [];
  const parsed = given === undefined ? undefined : parseName(given);
  if (parsed?.ok === true && domains.includes(parsed.value)) return parsed.value;
  if (given === undefined && domains.length > 0) {
    const chosen = await pick("Which domain?", [
      ...domains.map((domain) => ({ value: withoutRootDot(domain), label: displayName(domain) })),
      { value: "another", label: "another domain, which is not here yet" },
    ]);
    if (chosen !== "another") return name(chosen);
  }
  return newDomain(given, known === undefined, request, context);
}

/** Adds a domain, and a workspace where there is none; what cannot be read is asked again. */
async function newDomain(
  given: string | undefined,
  first: boolean,
  request: GuideRequest,
  context: Context,
): Promise<DomainName> {
  if (first) log.message("There is no workspace here yet. A workspace is a folder with what is wanted and what happened.");
  for (let asked = given; ; asked = undefined) {
    const domain = asked ?? (await typed({ message: "Which domain do you own?", placeholder: "brackwater.example" }));
    try {
      const options = {
        resolver: request.resolver,
        organisation: undefined,
        dnsHost: undefined,
        role: undefined,
        redirectTo: undefined,
        settings: undefined,
      };
      const { result } = await initialise({ ...options, operands: [domain], workspace: request.workspace }, context);
      log.success(`Saved in ${result?.folder ?? "this folder"}.`);
      return name(result?.domain ?? domain);
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      log.error(failureSentence(error));
    }
  }
}

/** Sees that the domain names its DNS host: one that is known, or a new one with the way it is reached. */
export async function expectHost(domain: DomainName, request: GuideRequest, context: Context): Promise<void> {
  const here = knownHere(context, request.workspace);
  if (here?.domains.find((other) => other.name === domain)?.host !== undefined) return;
  const known = (here?.hosts ?? []).map(({ key, title }) => ({ value: key, label: title }));
  const message = `Where are the DNS records of ${displayName(domain)} kept?`;
  for (;;) {
    const chosen =
      known.length === 0 ? "" : await pick(message, [...known, { value: "", label: "at a DNS host that is not here yet" }]);
    const host =
      chosen === ""
        ? await typed({ message: known.length === 0 ? message : "What is it called?", placeholder: "Nettlehost" })
        : chosen;
    try {
      const named = { ...NO_HOST_OPTIONS, domain: [withoutRootDot(domain)], operands: [host], workspace: request.workspace };
      const { result } = await setDnsHost(named, talking(context));
      log.success(`${visible(result?.title ?? host)} is where Zandrel publishes from now on.`);
      return;
    } catch (error) {
      if (!(error instanceof Failure)) throw error;
      log.error(failureSentence(error));
    }
  }
}

/** Saves the asks of the kit that was named; what its inputs lack is asked. */
export async function takeKit(domain: DomainName, kit: string, request: GuideRequest, context: Context): Promise<void> {
  const named = {
    ...NOTHING_NAMED,
    domain: withoutRootDot(domain),
    workspace: request.workspace,
    kit,
    input: request.input,
    operands: [],
  };
  const { result } = await intake(named, talking(context));
  if (result !== undefined) show("Saved", intakeText(result, context));
}

/** Takes in what a service asks for; false where nothing is to be taken in. */
export async function takeIn(domain: DomainName, needed: boolean, request: GuideRequest, context: Context): Promise<boolean> {
  const chosen = await pick(needed ? "What does the service ask for?" : "Is there something else to take in?", [
    ...(needed ? [] : [{ value: "nothing" as const, label: "no, that is all" }]),
    { value: "paste" as const, label: "I paste what its page shows" },
    { value: "kit" as const, label: "I use a kit of this workspace" },
  ]);
  if (chosen === "nothing") return false;
  const options = { ...NOTHING_NAMED, domain: withoutRootDot(domain), operands: ["-"], workspace: request.workspace };
  try {
    if (chosen === "kit") {
      const kits = (await knownHere(context, request.workspace)?.kits()) ?? [];
      if (kits.length === 0) {
        log.warn("There is no kit in this workspace yet: kits are files in its folder kits.");
        return true;
      }
      const kit = await pick(
        "Which kit?",
        kits.map((value) => ({ value, label: value })),
      );
      await takeKit(domain, kit, { ...request, input: [] }, context);
      return true;
    }
    const paste = await readPaste(
      process.stdin,
      (echoed) => void process.stderr.write(echoed),
      () => log.message("Paste it here, then type a line with only a dot."),
    );
    if (paste === undefined) throw new Left();
    const { result } = await intake(options, talking(context, paste));
    if (result?.written === true) log.success("Saved.");
    else if ((result?.already.length ?? 0) > 0) log.info("That is saved already.");
  } catch (error) {
    if (!(error instanceof Failure)) throw error;
    log.error(failureSentence(error));
  }
  return true;
}
