/** What copying a text from a page, or typing it into a form, does to its characters; and how it is taken back. */

/** Straight quotation marks for those that an editor or another language makes of them. */
export const straightQuotes = (text: string): string => text.replace(/[“”„‟«»″]/g, '"').replace(/[‘’‚‛‹›′]/g, "'");

/** Hyphens for dashes and for hyphens that cannot be typed. */
export const plainHyphens = (text: string): string => text.replace(/[\u2010-\u2015\u2212]/g, "-");

/** The text without characters that nobody sees. */
export const withoutInvisible = (text: string): string =>
  text.replace(/[\u00ad\u180e\u200b-\u200f\u202a-\u202e\u2060-\u2064\u2066-\u2069\ufeff]/g, "");

/** Plain blanks for those that do not break lines, or have another width. */
export const plainBlanks = (text: string): string => text.replace(/[\u00a0\u2000-\u200a\u202f\u3000]/g, " ");
