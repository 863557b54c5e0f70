/** What the enhanced status codes of mail servers mean (RFC 3463, and what was registered since). */
interface StatusCode {
  /** 2: done; 4: not now, tried again; 5: never. */
  readonly class: 2 | 4 | 5;
  readonly subject: number;
  readonly detail: number;
}

export interface StatusCodeClauses {
  "status-code": StatusCode;
  /** What to do about it; nothing where there is nothing to do. */
  "status-code-mend": StatusCode;
}
