import { playDemo } from "../../demo/play.ts";
import { shellWord, wrap } from "../../present/index.ts";
import { command } from "../command.ts";
import { text } from "../options.ts";

export default command({
  name: "demo",
  operands: "",
  summary:
    "run the guided demo on the simulated services in about a minute: a token proven, then mail, from the first record to forgeries refused",
  examples: [
    ["zandrel demo", "in a temporary folder that is removed afterwards"],
    ["zandrel demo --keep-in brackwater", "keep the workspace in the folder brackwater"],
  ],
  options: {
    keepIn: text("keep the workspace in this folder"),
  },
  noJson: "it prints what each command prints",
  async run({ keepIn: keep }, { style, width, env, live, out }) {
    await playDemo(keep, {
      env,
      colour: live && env.NO_COLOR === undefined,
      act: (title, narration) => out(`\n${style.title(title)}\n${wrap(narration, width)}\n`),
      typed: ({ narration, argv }) =>
        out(
          `\n${style.quiet(wrap(narration, width))}\n${style.strong("$")} ${style.command(`zandrel ${argv.map(shellWord).join(" ")}`)}\n`,
        ),
      scene: (narration) => out(`\n${style.quiet(wrap(narration, width))}\n`),
      seen: (seen) => out(`${wrap(seen, width)}\n`),
    });
    const kept = keep === undefined ? "The temporary workspace is removed." : `The workspace is in ${keep}.`;
    out(`\n${style.good("Done.")} ${kept} Your own: ${style.command("zandrel init YOUR-DOMAIN")}\n`);
    return { ended: "fine" };
  },
});
