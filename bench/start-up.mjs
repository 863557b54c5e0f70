// How long the user waits before anything happens, against an empty Node process.
import { fileURLToPath } from "node:url";
import { figure, inTurns, wall } from "./measure.mjs";

const path = (relative) => fileURLToPath(new URL(`../${relative}`, import.meta.url));
const program = path("dist/zandrel.cjs");

export default async function startUp() {
  const draft = [
    "draft",
    "--workspace",
    path("demo/brackwater"),
    "--zone-file",
    path("demo/brackwater/brackwater.example.zone"),
    "--replace",
    "www.brackwater.example",
    "--json",
  ];
  const [empty, version, local] = await inTurns(
    15,
    () => wall(["-e", "0"]),
    () => wall([program, "--version"]),
    () => wall([program, ...draft]),
  );
  figure("zandrel --version against node -e 0", version / empty, 1.15);
  figure("zandrel draft --zone-file --json against node -e 0", local / empty, 2);
}
