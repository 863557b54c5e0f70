import { randomBytes } from "node:crypto";
import type { FastifyInstance } from "fastify";
import { DAY_MS } from "../core/day.ts";
import { type DomainName, parseName } from "../core/name/index.ts";
import type { Offer } from "../core/sending/index.ts";
import type { MailServiceDescription } from "./mail-description.ts";
import type { MailRecords } from "./mail-records.ts";
import type { CachingResolver } from "./resolver.ts";
import { plain, type Reach } from "./service.ts";

interface LabCredential extends Reach {
  readonly id: string;
  readonly secret: string;
  readonly user: string;
  readonly madeAt: string;
}

/** How long a link that confirms an address is good. */
const LINK_GOOD_FOR = DAY_MS;

export const isoOf = (at: number): string => new Date(at).toISOString();

/** The theatre's account at a mail service of the lab: its domains, sender addresses and credentials. */
export class MailAccount {
  readonly #description: MailServiceDescription;
  readonly #records: MailRecords;
  readonly #resolver: CachingResolver;
  readonly #now: () => number;
  readonly #mailLink: (to: string, link: string) => Promise<unknown>;
  readonly #domains = new Map<string, { state: "pending" | "accepted"; reason: string; signing: "on" | "off" }>();
  readonly #senders = new Map<string, { state: "pending" | "confirmed"; mailedAt: number; token: string }>();
  readonly #credentials = new Map<string, LabCredential>();

  constructor(
    description: MailServiceDescription,
    records: MailRecords,
    resolver: CachingResolver,
    now: () => number,
    mailLink: (to: string, link: string) => Promise<unknown>,
  ) {
    this.#description = description;
    this.#records = records;
    this.#resolver = resolver;
    this.#now = now;
    this.#mailLink = mailLink;
  }

  accepts(domain: string): boolean {
    return this.#domains.get(domain)?.state === "accepted";
  }

  signsFor(domain: string): boolean {
    return this.accepts(domain) && this.#domains.get(domain)?.signing === "on";
  }

  confirmed(address: string): boolean {
    return this.#senders.get(address.toLowerCase())?.state === "confirmed";
  }

  /** What a secret is good for; undefined where nobody has it. */
  reach(secret: string): LabCredential | undefined {
    return [...this.#credentials.values()].find((labCredential) => labCredential.secret === secret);
  }

  /** Who logs in with a name and a password: the id of the credential. */
  login(user: string, password: string): string | undefined {
    const credential = this.reach(password);
    return credential?.user === user ? credential.id : undefined;
  }

  credential(id: string): Reach | undefined {
    return this.#credentials.get(id);
  }

  async #look(domain: DomainName): Promise<void> {
    const missing = await this.#records.missing(domain, this.#resolver);
    const signing = this.#domains.get(plain(domain))?.signing ?? (this.#description.signingSwitch ? "off" : "on");
    this.#domains.set(
      plain(domain),
      missing.length === 0
        ? { state: "accepted", reason: "Everything is there.", signing }
        : { state: "pending", reason: `We do not see ${missing.join(" and ")} yet. It can take up to 48 hours.`, signing },
    );
  }

  /** Its part of the link: domains, senders, credentials. */
  routes(server: FastifyInstance): void {
    const base = "/link/v1";
    const is = (offer: Offer): boolean => this.#description.offers.includes(offer);
    if (is("domains")) {
      const state = (domain: string) => {
        const { state = "unknown" as const, reason = "We do not know this domain.", signing } = this.#domains.get(domain) ?? {};
        return { domain, state, reason, ...(this.#description.signingSwitch && signing !== undefined ? { signing } : {}) };
      };
      server.get<{ Params: { domain: string } }>(`${base}/domains/:domain`, async ({ params }) => state(params.domain));
      server.put<{ Params: { domain: string }; Body: { signing?: "on" | "off" } }>(
        `${base}/domains/:domain`,
        async (request, reply) => {
          const parsed = parseName(request.params.domain);
          if (!parsed.ok) return reply.code(422).send({ error: "that is not a domain" });
          const { domain } = request.params;
          await this.#look(parsed.value);
          const { signing } = request.body ?? {};
          const known = this.#domains.get(domain);
          if (signing === "on" && known?.state !== "accepted")
            return reply.code(409).send({ error: `signing can be turned on when the key is seen: ${known?.reason}` });
          if (signing !== undefined && known !== undefined) this.#domains.set(domain, { ...known, signing });
          return state(domain);
        },
      );
    }
    if (is("senders")) {
      const state = (address: string) => {
        const known = this.#senders.get(address);
        if (known === undefined) return { address, state: "unknown" };
        const expired = known.state === "pending" && this.#now() > known.mailedAt + LINK_GOOD_FOR;
        return {
          address,
          state: expired ? "expired" : known.state,
          mailedAt: isoOf(known.mailedAt),
          ...(known.state === "pending" ? { expiresAt: isoOf(known.mailedAt + LINK_GOOD_FOR) } : {}),
        };
      };
      server.get<{ Params: { address: string } }>(`${base}/senders/:address`, async ({ params }) =>
        state(params.address.toLowerCase()),
      );
      server.post<{ Body: { address?: unknown } }>(`${base}/senders`, async (request, reply) => {
        const to = String(request.body?.address ?? "").toLowerCase();
        if (!/^[^@\s]+@[^@\s]+$/.test(to)) return reply.code(422).send({ error: "that is not a mail address" });
        if (this.#senders.get(to)?.state !== "confirmed") {
          const token = randomBytes(16).toString("hex");
          this.#senders.set(to, { state: "pending", mailedAt: this.#now(), token });
          await this.#mailLink(to, `http://${request.headers.host}/open/${token}`);
        }
        return reply.code(202).send(state(to));
      });
      server.get<{ Params: { token: string } }>("/open/:token", async (request, reply) => {
        const found = [...this.#senders].find(([, one]) => one.token === request.params.token);
        if (found === undefined || this.#now() > found[1].mailedAt + LINK_GOOD_FOR)
          return reply.code(410).send("This link is no longer valid.\n");
        this.#senders.set(found[0], { ...found[1], state: "confirmed" });
        return `${found[0]} is confirmed.\n`;
      });
    }
    if (is("credentials")) this.#credentialRoutes(server, base);
  }

  /** Credentials: listed, made, ended. */
  #credentialRoutes(server: FastifyInstance, base: string): void {
    const shown = ({ id, scope, domain, user, madeAt }: LabCredential) => ({ id, scope, domain: domain ?? null, user, madeAt });
    server.get(`${base}/credentials`, async () => ({ credentials: [...this.#credentials.values()].map(shown) }));
    server.post<{ Body: { scope?: unknown; domain?: unknown } }>(`${base}/credentials`, async (request, reply) => {
      const { scope, domain } = request.body ?? {};
      if ((scope !== "mail" && scope !== "account") || (domain !== null && typeof domain !== "string"))
        return reply.code(422).send({ error: "scope and domain are needed" });
      const labCredential: LabCredential = {
        id: `${this.#description.mark.toLowerCase()}-${randomBytes(4).toString("hex")}`,
        scope,
        domain: domain ?? undefined,
        user: "brackwater-theatre",
        madeAt: isoOf(this.#now()),
        secret: randomBytes(24).toString("base64url"),
      };
      this.#credentials.set(labCredential.id, labCredential);
      return reply.code(201).send({ ...shown(labCredential), secret: labCredential.secret });
    });
    server.delete<{ Params: { id: string } }>(`${base}/credentials/:id`, async (request, reply) =>
      this.#credentials.delete(request.params.id)
        ? reply.code(204).send()
        : reply.code(404).send({ error: "no such credential" }),
    );
  }
}
