/**
 * Messages as octets with views (RFC 5322): the header read whole, the body passing by.
 *
 * ```ts
 * const header = await scanMessage(source, () => []);           // { ok: true, value: { fields, … } }
 * fieldsNamed(header.value, "subject").map(fieldValue);            // ["Tickets for Saturday"]
 * parseMailboxes('Box office <box@brackwater.example>');        // { ok: true, value: [{ domain: "brackwater.example.", … }] }
 * authenticationResults("mx.mallowmail.example", [...]);        // "Authentication-Results: mx.mallowmail.example; …"
 * ```
 */

export * from "./fields.ts";
export * from "./mailbox.ts";
export * from "./scan.ts";
