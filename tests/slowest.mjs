const SHOWN = 10;

/** Says at the end which suites took longest, so that nobody has to look for them. */
export default class Slowest {
  /** @param {unknown} _contexts  @param {{ testResults: readonly { testFilePath: string, perfStats: { runtime: number } }[] }} results */
  onRunComplete(_contexts, { testResults }) {
    if (testResults.length <= SHOWN) return;
    const slowest = [...testResults].sort((a, b) => b.perfStats.runtime - a.perfStats.runtime).slice(0, SHOWN);
    const shown = slowest.map(
      ({ testFilePath, perfStats }) =>
        `${(perfStats.runtime / 1000).toFixed(1).padStart(6)} s  ${testFilePath.replace(`${process.cwd()}/`, "")}`,
    );
    console.log(`\nThe slowest suites:\n${shown.join("\n")}`);
  }
}
