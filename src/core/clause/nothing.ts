/** What a clause needs that is always the same. */
export type Nothing = Readonly<Record<never, never>>;
