/** An ask as it stands in a file. */
export interface AskEntry {
  readonly id: string;
  readonly service: string;
  readonly purpose: string;
  readonly asked: string;
  readonly after?: readonly string[];
  readonly spf?: string;
  readonly spfWithout?: string;
  readonly dmarc?: string;
  readonly template?: object;
  readonly remove?: string;
  readonly records?: string;
  readonly web?: { readonly url: string } & (
    | { readonly meta: { readonly name: string; readonly content: string } }
    | { readonly file: string }
  );
}
