import { z } from "zod";
import { resolverOptions } from "../../../app/dns/context.ts";
import { domainOption, withService } from "../../../app/services/services.ts";
import { smtpSettings, submissionTo, submittedText } from "../../../app/services/submission.ts";
import { TLS_MODES } from "../../../core/sending/index.ts";
import { EXIT, UserError } from "../../../core/user-error.ts";
import { columns, isoTime, visible, wrap } from "../../../present/index.ts";
import { command } from "../../command.ts";

const result = z.object({
  at: z.string(),
  service: z.string(),
  title: z.string(),
  host: z.string(),
  port: z.number(),
  tls: z.enum(TLS_MODES),
  user: z.string().nullable(),
  password: z.string().nullable().describe("where the password is kept, never the password"),
  check: z
    .object({ verdict: z.enum(["works", "refused", "unknown"]), because: z.string() })
    .nullable()
    .describe("null where it was not checked"),
});
type Result = z.output<typeof result>;

const TLS_WORDS = { starttls: "STARTTLS (required, never without)", implicit: "TLS from the first octet" } as const;

export default command<Result>({
  name: "sender settings",
  operands: "SERVICE",
  summary: "the SMTP settings to copy into an application, and with --check whether they work",
  examples: [
    [
      "zandrel sender settings swiftquill --domain brackwater-tickets.example",
      "host, port, TLS mode, user, and where the password is",
    ],
    ["zandrel sender settings swiftquill --check", "connect, encrypt and log in, without sending anything"],
  ],
  options: {
    ...resolverOptions,
    domain: { type: "string", requiresArg: true, describe: "the domain that is to send, to choose the credential" },
    check: { type: "boolean", default: false, describe: "connect and log in" },
  },
  schema: result,
  run(args, context) {
    const usage = { operands: 0, example: "zandrel sender settings swiftquill" };
    return withService(args, context, usage, async ({ service, session, journal }) => {
      const { workspace, dns } = session;
      const settings = await smtpSettings(service, journal, domainOption(args));
      if (settings === undefined)
        throw new UserError(
          `nobody says where ${service.title} takes messages: write host, port, tls, user and password under services: ${service.key}: submission: in zandrel.yaml.`,
        );
      const shown = {
        at: isoTime(dns.now),
        service: service.key,
        title: service.title,
        host: settings.host,
        port: settings.port,
        tls: settings.tls,
        user: settings.user ?? null,
        password: settings.password ?? null,
      };
      if (args.check !== true) return { exit: EXIT.ok, result: { ...shown, check: null } };
      const { trySubmission } = await import("../../../net/mail.ts");
      const outcome = await trySubmission(await submissionTo(settings, service, { workspace, dns }, args, context));
      const verdict = { accepted: "works", refused: "refused", failed: "unknown" } as const;
      const because = outcome.kind === "accepted" ? "connected, encrypted and logged in" : submittedText(outcome, settings.host);
      return {
        exit: { accepted: EXIT.ok, refused: EXIT.not, failed: EXIT.undetermined }[outcome.kind],
        result: { ...shown, check: { verdict: verdict[outcome.kind], because } },
      };
    });
  },
  present({ title, service, host, port, tls, user, password, check }, { style, width }) {
    const mark =
      check === null
        ? undefined
        : `${{ works: style.good("✓ works"), refused: style.bad("✗ refused"), unknown: style.careful("? unknown") }[check.verdict]}  ${wrap(visible(check.because), width - 12, "  ")}`;
    const missing = `none yet: zandrel sender credential ${service} --new sending --domain DOMAIN`;
    return [
      style.title(`SMTP settings of ${visible(title)}`),
      ...columns([
        ["  host", visible(host)],
        ["  port", String(port)],
        ["  encryption", TLS_WORDS[tls]],
        ["  user", user === null ? missing : visible(user)],
        ["  password", password === null ? missing : `kept in ${visible(password)}`],
      ]),
      ...(mark === undefined ? [`Check them: ${style.command(`zandrel sender settings ${service} --check`)}`] : [mark]),
      "",
    ].join("\n");
  },
});
