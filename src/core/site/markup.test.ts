import { describe, expect, test } from "@jest/globals";
import { readMarkup } from "./markup.ts";

describe("what a page says of itself", () => {
  test.each<[string, string, string | undefined]>([
    ["<p>This domain is <b>parked</b></p>", "This domain is parked", undefined],
    ["<script>var parked = '<p>';</script><style>p{}</style>Box office", "Box office", undefined],
    ['<META HTTP-EQUIV = "Refresh" content="0; url=/x">', "", "refresh"],
    ["<frameset><frame src=x></frameset>", "", "frame"],
    ['<iframe src=x width="100%"></iframe>', "", "frame"],
    ['<iframe src=x width="300"></iframe>', "", undefined],
  ])("%s", (body, text, pretends) => {
    const read = readMarkup(body);
    expect([read.text.trim(), read.pretends]).toEqual([text, pretends]);
  });
  test.each(["<", "<a ", "</", "<!--", "&", "<script>", "<meta http-equiv", '"', "<p ", "\0"])(
    "half a megabyte of %j is read to its end, and little is kept of it",
    (piece) => expect(readMarkup(piece.repeat((1 << 19) / piece.length)).text.length).toBeLessThanOrEqual(4000),
  );
});
