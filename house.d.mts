/** What breaks the house, a line each; paths are below src. */
export function broken(files: ReadonlyMap<string, string>): string[];
/** The sources without their tests, by their paths below src. */
export function sources(): Map<string, string>;
