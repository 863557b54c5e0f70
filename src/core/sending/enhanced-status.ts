/** An enhanced mail system status code (RFC 3463 section 2): class, subject, detail. Its words are in `present/clauses/status-code.ts`. */
export interface EnhancedStatus {
  readonly code: string;
  /** 2: done; 4: not now, tried again; 5: never. */
  readonly class: 2 | 4 | 5;
  readonly subject: number;
  readonly detail: number;
}

/** The enhanced status code in a server's reply; undefined where the reply has none. */
export function enhancedStatus(reply: string): EnhancedStatus | undefined {
  const match = /(?:^|[\s-])([245])\.(\d{1,3})\.(\d{1,3})(?=\s|$|[;:,])/.exec(reply);
  if (match === null) return undefined;
  const [, cls, subject, detail] = match as unknown as [string, "2" | "4" | "5", string, string];
  return {
    code: `${cls}.${subject}.${detail}`,
    class: Number(cls) as 2 | 4 | 5,
    subject: Number(subject),
    detail: Number(detail),
  };
}
