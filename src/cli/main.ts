// The command line. Only the version is answered without loading anything else.
const argv = process.argv.slice(2);

async function start(): Promise<void> {
  const { loadBuilt, openCodeCache } = await import("../start/index.ts");
  const cache = openCodeCache(process.env.ZANDREL_BUILD as string, process.env);
  const { run, outputFailed } = loadBuilt(`${import.meta.dirname}/program`, "run.cjs", cache) as typeof import("./run.ts");
  process.stdout.on("error", async (error: NodeJS.ErrnoException) => {
    // The reader of a pipe may leave early, as `head` does; that is not a defect.
    if (error.code === "EPIPE") process.exit(0);
    process.exit(await outputFailed(error));
  });
  process.exitCode = await run(argv);
}

if (argv[0] === "--version" || argv[0] === "-v") process.stdout.write(`${process.env.ZANDREL_VERSION}\n`);
else void start();

export {};
