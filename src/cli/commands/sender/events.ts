import { senderEvents, senderEventsSchema } from "../../../app/services/events.ts";
import { command } from "../../command.ts";
import { number, resolverOptions, span, text } from "../../options.ts";

export default command({
  name: "sender events",
  operands: "[SERVICE..]",
  summary: "what became of the mail by day: delivered, bounced, complained; with --listen, receive a service's signed event feed",
  examples: [
    ["zandrel sender events", "the last days, and a warning where bounces or complaints pass the usual limits"],
    ["zandrel sender events swiftquill --listen 127.0.0.1:8025", "have Swiftquill post its events here, and receive them"],
    [
      "zandrel sender events swiftquill --listen 127.0.0.1:8025 --url https://hooks.brackwater.example/events",
      "the same behind a web server that passes requests on",
    ],
  ],
  options: {
    ...resolverOptions,
    listen: text("receive events at this address and port (127.0.0.1:8025 if not given), until Ctrl-C"),
    url: text("the address the service posts to, where it is another than that"),
    for: span("end after this time, such as 30m"),
    days: number("days to sum up", { default: 14, min: 1, max: 3660 }),
  },
  schema: senderEventsSchema,
  run: senderEvents,
  text: async (result, layout) => (await import("../../../present/services/events.ts")).senderEventsText(result, layout),
});
