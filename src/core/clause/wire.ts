/** What is wrong with the octets of a DNS message or of record data. */
export interface WireClauses {
  "wire-broken": {
    readonly what:
      | "name-breaks-off"
      | "pointer-breaks-off"
      | "pointer-forward"
      | "label-kind"
      | "label-breaks-off"
      | "name-too-long"
      | "types-out-of-order"
      | "record-breaks-off"
      | "tsig-class"
      | "tsig-length";
  };
  /** Where the message ends. */
  "wire-ends": { readonly octet: number };
  "wire-too-many": { readonly octets: number };
}
