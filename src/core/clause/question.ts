/** What a person at the terminal is asked, who answers with a line. */
export interface QuestionClauses {
  "question-kit-input": { readonly input: string; readonly explain: string; readonly example: string | undefined };
  /** An empty answer keeps what it was. */
  "question-field": { readonly field: "type" | "host" | "value"; readonly was: string };
  "question-service-title": { readonly offered: string | undefined };
  "question-host": { readonly field: "file" | "server" | "keyName" | "secret" | "command" };
}
