import { ROOT } from "../name/index.ts";
import type { TrustAnchor } from "./chain.ts";

/** The key-signing keys of the root, as its operator publishes them for the years after 2017 and after 2024. */
export const ROOT_ANCHORS: readonly TrustAnchor[] = [
  {
    zone: ROOT,
    ds: [
      {
        keyTag: 20326,
        algorithm: 8,
        digestType: 2,
        digest: "e06d44b80b8f1d39a95c0b0d7c65d08458e880409bbc683457104237c7f8ec8d",
      },
      {
        keyTag: 38696,
        algorithm: 8,
        digestType: 2,
        digest: "683d2d0acb8c9b712a1948b27f741219298d0a450d612c483af444a4c0fb2b16",
      },
    ],
  },
];
