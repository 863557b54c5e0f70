/** Kinds and sizes of keys that are made. */
export const KEY_TYPES = ["rsa-2048", "rsa-3072", "rsa-4096", "ed25519"] as const;
export type KeyType = (typeof KEY_TYPES)[number];
