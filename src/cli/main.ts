// The command line. Only the version is answered without loading anything else.
const argv = process.argv.slice(2);

if (argv[0] === "--version" || argv[0] === "-v") {
  process.stdout.write(`${process.env.ZANDREL_VERSION}\n`);
} else {
  process.stdout.on("error", async (error: NodeJS.ErrnoException) => {
    // The reader of a pipe may leave early, as `head` does; that is no defect.
    if (error.code === "EPIPE") process.exit(0);
    const { outputFailed } = await import("./run.ts");
    process.exit(await outputFailed(error));
  });
  const { run } = await import("./run.ts");
  process.exitCode = await run(argv);
}

export {};
