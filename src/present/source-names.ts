/** What a source of mail is called, by its title: it has none where it stands for all that are too many to tell apart. */
export const sourceName = (title: string): string => (title === "" ? "everyone else" : title);

interface Source {
  readonly title: string;
  readonly ours: boolean;
  readonly service: string | null;
}

/** The same, with how it is known where it is not a service of the workspace. */
export const knownSourceName = ({ title, ours, service }: Source): string =>
  ours && service === null ? `${title} (in your SPF record)` : sourceName(title);

/** The same, with whether anybody knows it. */
export const sourceLabel = (source: Source): string =>
  source.ours ? knownSourceName(source) : `unknown: ${sourceName(source.title)}`;
