/** The id of the ask that publishes the key of a selector, or that empties it. */
export const keyAskId = (service: string, what: "dkim" | "revoked", selector: string): string =>
  `${service}-${what}-${selector.toLowerCase().replace(/[^a-z0-9]+/g, "-")}`;
