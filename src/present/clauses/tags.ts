import type { TagsClauses } from "../../core/clause/index.ts";
import type { WordsOf } from "./words.ts";

export const TAGS: WordsOf<TagsClauses> = {
  "tags-nothing-between": "there is nothing between two semicolons",
  "tags-form": "a tag is a name, an equals sign and a value",
  "tags-name": "a tag's name is a letter, followed by letters, digits and underscores",
  "tags-twice": ({ name }) => `the tag “${name}” may stand only once`,
};
