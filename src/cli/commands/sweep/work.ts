import { sweepWork, sweepWorkSchema } from "../../../app/fleet/work.ts";
import { command } from "../../command.ts";
import { flag, paceOptions, shared } from "../../options.ts";
import { tellServiceManager } from "../../service-manager.ts";
import { untilStopped } from "../../stopped.ts";

export default command({
  name: "sweep work",
  operands: "",
  summary: "take part in the sweeps of a queue, on any number of machines",
  examples: [
    ["zandrel sweep work --queue env:SWEEP_QUEUE", "until it is stopped"],
    ["zandrel sweep work --queue env:SWEEP_QUEUE --once --json", "until no sweep is left; says how many domains it looked at"],
  ],
  options: {
    queue: shared.queue,
    ...paceOptions,
    once: flag("end when no sweep is left"),
  },
  schema: sweepWorkSchema,
  async run(request, context) {
    const { signal, release } = untilStopped();
    tellServiceManager("READY=1", context.env);
    try {
      return await sweepWork(request, context, signal);
    } finally {
      tellServiceManager("STOPPING=1", context.env);
      release();
    }
  },
  text: async (result) => (await import("../../../present/fleet/sweep.ts")).sweepWorkText(result),
});
