import { command } from "../command.ts";
import { lab, LAB_START } from "../../app/lab/lab.ts";
import { text, time } from "../options.ts";

export default command({
  name: "lab",
  operands: "",
  summary: "run the stand-ins on loopback until Ctrl-C: registry, DNS hosts, resolvers, services, a mailbox provider, one fast clock",
  examples: [
    ["zandrel lab", "start them, and print how to point a workspace at them"],
    ["zandrel lab --speed 60 --settings lab.yaml", "a minute takes a second; write the settings into lab.yaml"],
  ],
  options: { port: number("port of all its DNS servers; the five behind it are for the web and for mail", { default: 5300 }),
speed: number("how many times as fast as a real clock the lab's runs", { default: 60 }),
start: text("the lab's time when it starts", { default: LAB_START }),
settings: text("where to write the settings of a workspace that uses it", { default: "lab.yaml" }) },
  run: lab,
});
