import { command } from "../command.ts";

const SCRIPT = `# Completion of zandrel for bash and zsh. Add to your shell's start-up file:
#   source <(zandrel completion)
if [ -n "\${ZSH_VERSION-}" ]; then
  autoload -U +X bashcompinit && bashcompinit
fi
_zandrel_complete() {
  local IFS=$'\\n'
  COMPREPLY=($(zandrel --completions "\${COMP_WORDS[@]:0:COMP_CWORD+1}" 2>/dev/null))
}
complete -o default -F _zandrel_complete zandrel
`;

export default command({
  name: "completion",
  operands: "",
  summary: "print the script that completes commands and options in bash and zsh",
  examples: [
    ["source <(zandrel completion)", "complete in this shell"],
    ["zandrel completion >> ~/.bashrc", "complete in every new shell"],
  ],
  options: {},
  noJson: "its result is a shell script",
  async run(_, context) {
    context.out(SCRIPT);
    return { ended: "fine" };
  },
});
