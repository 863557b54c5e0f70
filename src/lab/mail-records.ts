import { generateKeyPair, type KeyObject } from "node:crypto";
import { promisify } from "node:util";
import { signedMessage } from "../core/dkim/index.ts";
import { type DomainName, name } from "../core/name/index.ts";
import { octetsOf, splitCharacterStrings } from "../core/record/index.ts";
import type { AuthorityHost } from "./authority.ts";
import type { MailServiceDescription } from "./mail-description.ts";
import type { CachingResolver } from "./resolver.ts";
import { hasText, plain, secret } from "./service.ts";

const keyText = (key: KeyObject): string => `v=DKIM1; k=rsa; p=${key.export({ type: "spki", format: "der" }).toString("base64")}`;

/** The selector with which a service signs in its own name. */
const OWN_SELECTOR = "post";

/** What a mail service of the lab wants to see in the DNS, and the keys it signs with. */
export class MailRecords {
  readonly #description: MailServiceDescription;
  readonly #host: AuthorityHost;
  readonly apex: DomainName;
  // Made when they are first needed, because making them takes a while.
  readonly #keys = new Map<string, Promise<{ publicKey: KeyObject; privateKey: KeyObject }>>();

  constructor(description: MailServiceDescription, host: AuthorityHost) {
    this.#description = description;
    this.#host = host;
    this.apex = name(`${description.key}.example`);
  }

  #key(domain: string, selector: string): Promise<{ publicKey: KeyObject; privateKey: KeyObject }> {
    const id = `${domain} ${selector}`;
    const known = this.#keys.get(id) ?? promisify(generateKeyPair)("rsa", { modulusLength: 2048 });
    this.#keys.set(id, known);
    return known;
  }

  #publish(at: DomainName, key: KeyObject): void {
    const strings = splitCharacterStrings(octetsOf(keyText(key)));
    this.#host.put(this.apex, { name: at, type: "TXT", ttl: 3600, data: [{ strings }] });
  }

  /** Publishes the keys that aliases lead to, as the service does when a domain is added. */
  async publishTargets(domain: string): Promise<void> {
    if (this.#description.publishes === "alias")
      for (const [i, selector] of this.#description.selectors.entries())
        this.#publish(name(`${domain.split(".")[0]}.k${"ab"[i]}`, this.apex), (await this.#key(domain, selector)).publicKey);
  }

  /** The page that asks for proof of the domain. */
  ownershipPage(domain: string): string {
    const { key, title } = this.#description;
    return `Verify ${domain} with ${title}\n\nName\tType\tContent\n_${key}\tTXT\t${this.#token(domain)}\n`;
  }

  #token(domain: string): string {
    return `${this.#description.key}-domain=${secret(this.#description.key, domain, 16)}`;
  }

  /** The page “Leg rings”. */
  async page(domain: string): Promise<string> {
    const { selectors, publishes, title } = this.#description;
    await this.publishTargets(domain);
    const rows = await Promise.all(
      selectors.map(async (selector, i) =>
        publishes === "alias"
          ? `${selector}._domainkey\tCNAME\t${domain.split(".")[0]}.k${"ab"[i]}.${plain(this.apex)}`
          : `${selector}._domainkey\tTXT\t${keyText((await this.#key(domain, selector)).publicKey)}`,
      ),
    );
    return `Authenticate ${domain} with ${title}\n\nName\tType\tContent\n${rows.join("\n")}\n`;
  }

  readonly tokenSeen = (domain: DomainName, at: CachingResolver): Promise<boolean> =>
    hasText(at, name(`_${this.#description.key}`, domain), this.#token(plain(domain)));

  readonly keysSeen = async (domain: DomainName, at: CachingResolver): Promise<boolean> => {
    for (const selector of this.#description.selectors) {
      const { publicKey } = await this.#key(plain(domain), selector);
      if (!(await hasText(at, name(`${selector}._domainkey`, domain), keyText(publicKey)))) return false;
    }
    return true;
  };

  readonly exchangeSeen = async (domain: DomainName, at: CachingResolver): Promise<boolean> => {
    const mx = await at.ask(domain, "MX");
    return mx.kind === "found" && JSON.stringify(mx.set.data).includes(plain(this.apex));
  };

  readonly returnSeen = async (domain: DomainName, at: CachingResolver): Promise<boolean> => {
    const back = this.#description.returnHost(plain(domain));
    return back === plain(domain) || this.exchangeSeen(name(back), at);
  };

  /** What of all this is missing for a domain, in the service's words. */
  async missing(domain: DomainName, at: CachingResolver): Promise<string[]> {
    await this.publishTargets(plain(domain));
    return [
      ...(this.#description.wantsToken && !(await this.tokenSeen(domain, at)) ? ["the token"] : []),
      ...((await this.keysSeen(domain, at)) ? [] : ["the DKIM key"]),
      ...((await this.returnSeen(domain, at)) ? [] : ["the bounce host"]),
    ];
  }

  /** The message with a signature on top: in the domain's name, or in the service's own. */
  async signed(message: Buffer, domain: string | undefined, now: number): Promise<Buffer> {
    const signer = domain ?? plain(this.apex);
    const selector = domain === undefined ? OWN_SELECTOR : (this.#description.selectors[0] as string);
    const { publicKey, privateKey } = await this.#key(signer, selector);
    if (domain === undefined) this.#publish(name(`${OWN_SELECTOR}._domainkey`, this.apex), publicKey);
    const how = { header: "relaxed", body: "relaxed", signedAt: Math.floor(now / 1000) } as const;
    return (await signedMessage(message, { domain: name(signer), selector, key: privateKey, ...how })) ?? message;
  }
}
