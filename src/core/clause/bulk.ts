/** What is said of the things that receivers ask of those who send much mail. */
export interface BulkClauses {
  "bulk-from-is": { readonly address: string };
  "bulk-from-names": { readonly addresses: number; readonly fields: number };
}
