import { terminalSafe } from "../present/safe.ts";

/**
 * Reads what a person pastes at the terminal, as it is: tabs and long lines stay whole, which the line editor of a terminal
 * would change. It ends with a line that holds only a dot, or with Ctrl-D; undefined where it is given up with Ctrl-C.
 */
export function readPaste(
  input: NodeJS.ReadStream,
  write: (text: string) => void,
  ready: () => void,
): Promise<string | undefined> {
  /** What is pasted may hold anything; only what can be seen is shown. */
  const echo = (character: string) => write(terminalSafe(character));
  return new Promise((resolve) => {
    let text = "";
    const finish = (result: string | undefined) => {
      input.off("data", take);
      input.off("end", ended);
      if (input.isTTY) input.setRawMode(false);
      input.pause();
      echo("\n");
      resolve(result);
    };
    const ended = () => finish(text);
    const take = (chunk: Buffer | string) => {
      for (const character of chunk.toString()) {
        if (character === "\x03") return finish(undefined);
        if (character === "\x04") return finish(text);
        if (character === "\x7f" || character === "\b") {
          if (text === "" || text.endsWith("\n")) continue;
          text = [...text].slice(0, -1).join("");
          write("\b \b");
          continue;
        }
        const line = character === "\r" || character === "\n";
        text += line ? "\n" : character;
        echo(line ? "\n" : character);
        if (/(?:^|\n)\.\n$/.test(text.slice(-3))) return finish(text.slice(0, -2));
      }
    };
    if (input.isTTY) input.setRawMode(true);
    input.resume();
    input.on("data", take);
    input.on("end", ended);
    // Only now may the person begin: what is typed before would be changed by the line editor.
    ready();
  });
}
