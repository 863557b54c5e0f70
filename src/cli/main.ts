// The command line. Only the version is answered without loading anything else.
const argv = process.argv.slice(2);

if (argv[0] === "--version" || argv[0] === "-v") {
  process.stdout.write(`${process.env.ZANDREL_VERSION}\n`);
} else {
  process.stdout.on("error", (error: NodeJS.ErrnoException) => {
    // The reader of a pipe may leave early, as `head` does; that is no defect.
    if (error.code === "EPIPE") process.exit(0);
    process.stderr.write(`standard output cannot be written (${error.code}); what was to be shown is not complete\n`);
    process.exit(2);
  });
  const { run } = await import("./run.ts");
  process.exitCode = await run(argv);
}

export {};
