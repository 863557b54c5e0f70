import { distinct } from "../../distinct.ts";
import { decodeUtf8, printData, txtValue } from "../../record/index.ts";
import { choiceFor, type Pass } from "./fields.ts";
import type { PastedRecord } from "./pasted.ts";
import type { IntakeProblem } from "./problem.ts";
import type { PastedProof } from "./readers/beside.ts";
import { labelOf } from "./words.ts";

/**
 * The records that a page may ask for. What none does was read wrongly, whatever spoke for it: two aliases at one name, the domain's own
 * name or a caption as a text, an alias in the place of the domain that nothing on the page puts there.
 */
export function possible(pass: Pass, records: readonly PastedRecord[]): readonly PastedRecord[] {
  const own = pass.domain.slice(0, -1);
  const wrong = ({ record, evidence }: PastedRecord): Extract<IntakeProblem, { code: "read-wrong" }>["why"] | undefined => {
    const { name, type, data } = record;
    if (type === "CNAME") {
      const twins = records.filter((other) => other.record.type === "CNAME" && other.record.name === name);
      if (new Set(twins.map(({ record: twin }) => printData(twin.type, twin.data))).size > 1) return "two-aliases";
      if (name === pass.domain && evidence.host !== "label" && evidence.host !== "place") return "alias-of-domain";
    }
    if (type !== "TXT" || !("strings" in data)) return undefined;
    const text = decodeUtf8(txtValue(data)).trim();
    if (text.toLowerCase().replace(/\.$/, "") === own) return "value-is-domain";
    return labelOf(text) !== undefined && evidence.value !== "label" ? "value-is-label" : undefined;
  };
  return records.filter((pasted, i) => {
    const why = wrong(pasted);
    if (why === undefined) return true;
    const { name, type } = pasted.record;
    if (!pass.problems.some((problem) => problem.code === "read-wrong" && problem.name === name && problem.type === type))
      pass.problems.push({ row: i + 1, code: "read-wrong", name, type, why });
    return false;
  });
}

/**
 * A tag, a file and a record that prove the same are ways of which one is enough: the person says which. What leads visitors or mail is
 * no proof.
 */
export function oneProof(
  pass: Pass,
  pasted: readonly PastedProof[],
  records: readonly PastedRecord[],
): { readonly web: readonly PastedProof[]; readonly records: readonly PastedRecord[] } {
  const web = distinct(pasted, JSON.stringify);
  const areProofs = records.every(
    ({ record: { type, name } }) => type === "TXT" || (type === "CNAME" && !/^(?:www|\*)\./.test(name)),
  );
  const byRecord = records.length > 0 && areProofs;
  if (web.length === 0 || web.length + (byRecord ? 1 : 0) < 2) return { web, records };
  const ways = [
    ...web.map((way) => ({ key: way.kind === "meta" ? "tag" : "file", means: way.kind === "meta" ? way.content : way.url })),
    ...(byRecord
      ? [{ key: "record", means: records.map(({ record }) => `${record.type} at ${record.name.slice(0, -1)}`).join(", ") }]
      : []),
  ];
  const chosen = choiceFor(pass, { id: "proof", kind: "options", about: "", choices: ways });
  const way = web[ways.findIndex(({ key }) => key === chosen)];
  if (way !== undefined) return { web: [way], records: byRecord ? [] : records };
  return { web: [], records: chosen === "record" || !byRecord ? records : [] };
}
