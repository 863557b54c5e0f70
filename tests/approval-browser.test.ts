import { spawn } from "node:child_process";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, describe, expect, jest, test } from "@jest/globals";
import Provider from "oidc-provider";
import type { Browser } from "playwright-core";
import { startLab } from "../src/lab/index.ts";
import { readGrantMetadata, renewGrant, requestGrant, revokeGrant, takeGrant } from "../src/net/oauth.ts";
import { listenForRedirect } from "../src/net/redirect-listener.ts";
import { describeBrowser, launchBrowser } from "./browser.ts";
import { folderWith, PROGRAM, zandrel } from "./zandrel.ts";

/** The clicks of a person, played by a real browser: on a general OAuth server, and on the page of the lab's DNS host. */
let browser: Browser;
describeBrowser("with a browser", () => {
  beforeAll(async () => {
    // The OAuth server warns at length that it is not set up for production.
    for (const word of ["warn", "info"] as const) jest.spyOn(console, word).mockImplementation(() => {});
    browser = await launchBrowser();
  });
  afterAll(() => browser?.close());

  describe("a general OAuth server", () => {
    let server: Server;
    afterAll(() => {
      server?.closeAllConnections();
      server?.close();
    });
    /** A server that knows one program, which comes back to this address. */
    const provide = async (redirect: string): Promise<string> => {
      let handle: ReturnType<Provider["callback"]> | undefined;
      server = createServer((request, response) => handle?.(request, response));
      await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
      const issuer = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
      const provider = new Provider(issuer, {
        clients: [
          {
            client_id: "zandrel-test",
            application_type: "native",
            token_endpoint_auth_method: "none",
            redirect_uris: [redirect],
            grant_types: ["authorization_code", "refresh_token"],
            response_types: ["code"],
          },
        ],
        scopes: ["openid", "offline_access", "site"],
        features: { revocation: { enabled: true }, devInteractions: { enabled: true } },
        issueRefreshToken: async () => true,
        rotateRefreshToken: true,
        cookies: { keys: ["made up for a test"] },
      });
      provider.on("server_error", () => {});
      handle = provider.callback();
      return issuer;
    };
    /** What a person does: signs in, and says yes or no. */
    const person = async (address: string, says: "yes" | "no") => {
      const page = await browser.newPage();
      try {
        await page.goto(address);
        if (says === "no") return void (await page.getByText("Cancel").click());
        await page.fill('input[name="login"]', "owner");
        await page.fill('input[name="password"]', "made-up");
        await page.click('button[type="submit"]');
        await page.click('button[type="submit"]');
        await page.waitForURL(/127\.0\.0\.1.*state=/);
      } finally {
        await page.close();
      }
    };

    test("grants, renews and takes back; a proof key of somebody else is worth nothing", async () => {
      const listener = await listenForRedirect("Done.\n");
      try {
        const issuer = await provide(listener.url);
        const metadata = await readGrantMetadata(issuer, 5000);
        // It speaks OpenID's metadata; the one of OAuth is optional.
        const places = {
          authorize: `${issuer}/auth`,
          token: `${issuer}/token`,
          revocation: `${issuer}/token/revocation`,
          issuer,
          ...metadata,
        };
        const client = { id: "zandrel-test" };
        const how = {
          redirect: listener.url,
          state: listener.state,
          scope: "openid offline_access site",
          more: { prompt: "consent", domain: "brackwater.example" },
        };
        const asked = await requestGrant(places, client, how);
        const [back] = await Promise.all([listener.wait(60_000), person(asked.page, "yes")]);
        if (back.kind !== "came-back") throw new Error("nobody came back");
        const taking = { state: listener.state, redirect: listener.url, now: 0, timeout: 5000 };
        expect(
          await takeGrant(places, client, back.url, { ...taking, state: "another", verifier: asked.verifier }),
        ).toMatchObject({ ok: false });
        const granted = await takeGrant(places, client, back.url, { ...taking, verifier: asked.verifier });
        expect(granted).toMatchObject({ ok: true, value: { access: expect.any(String), refresh: expect.any(String) } });
        const refresh = granted.ok ? (granted.value.refresh ?? "") : "";
        const renewed = await renewGrant(places, client, refresh, { now: 0, timeout: 5000 });
        expect(renewed).toMatchObject({ ok: true });
        // A code is good for one use.
        expect(await takeGrant(places, client, back.url, { ...taking, verifier: asked.verifier })).toMatchObject({
          ok: false,
          error: { kind: "refused", because: { clause: "peer-grant-error", error: "invalid_grant" } },
        });
        const last = renewed.ok ? (renewed.value.refresh ?? renewed.value.access) : "";
        expect(await revokeGrant(places, client, last, 5000)).toEqual({ ok: true, value: undefined });
        expect(await renewGrant(places, client, last, { now: 0, timeout: 5000 })).toMatchObject({ ok: false });
      } finally {
        await listener.close();
      }
    });
  });

  test.each<[string, Readonly<Record<string, string>>, boolean, RegExp]>([
    ["leads back here, and the window says that it may be closed", { DISPLAY: ":0" }, true, /You may close this window/],
    ["cannot lead back here, and the zone says it", { DISPLAY: ":0" }, false, /^$/],
    ["is opened elsewhere, and says itself that it is done", { SSH_TTY: "/dev/pts/1" }, true, /You may close this window/],
  ])("the page of the lab's host says what will change, one click approves it; it %s", async (_, env, isReached, shown) => {
    const lab = await startLab({ start: Date.parse("2026-03-02T09:00:00Z"), port: 0 });
    try {
      const folder = folderWith({ "lab.yaml": lab.settings });
      const run = (...argv: string[]) => zandrel(folder, argv, { env: lab.env });
      await run("init", "brackwater.example", "--settings", "lab.yaml", "--dns-host", "nettlehost");
      await run("host", "set", "nettlehost", "--way", "approval");
      const kit = `http://${lab.approvals.place}/v2/domainTemplates/providers/pagewick.example/services/site`;
      await run("intake", "--kit", kit, "--input", "claim=77aa01bc", "--input", "site=brackwater");
      const argv = ["publish", "--replace", "@", "--replace", "www", "--json"];
      const child = spawn(process.execPath, [PROGRAM, ...argv], {
        cwd: folder,
        env: { ...process.env, ...lab.env, NO_COLOR: "1", ...env },
      });
      let [out, err] = ["", ""];
      let said: Promise<string> | undefined;
      child.stdout.on("data", (data) => {
        out += data;
      });
      const click = async (link: string): Promise<string> => {
        const page = await browser.newPage();
        const back = /^http:\/\/127\.0\.0\.1:\d+\/[\w-]+\?state=/;
        if (!isReached) await page.route(back, (route) => route.abort());
        await page.goto(link);
        expect(await page.textContent("ul")).toContain("publishes A www.brackwater.example 127.53.0.21");
        await page.getByRole("button", { name: "Approve" }).click();
        if (!isReached) return "";
        await page.waitForURL("DISPLAY" in env ? back : /\/decide$/);
        return (await page.textContent("body")) ?? "";
      };
      child.stderr.on("data", (data) => {
        err += data;
        const link = /^(http:\/\/\S+)$/m.exec(err)?.[1];
        if (link !== undefined) said ??= click(link);
      });
      await new Promise((resolve) => child.on("close", resolve));
      expect(await said).toMatch(shown);
      expect(JSON.parse(out).published).toMatchObject([{ way: "approval", changed: 5, sheet: [] }]);
    } finally {
      await lab.close();
    }
  });
});
