import { basename } from 'node:path';
import { defineCommand, status, type ArgumentsOf } from './command.js';

/** For each shell, the script that gets the words from the program, and how to load it. */
export const shells: Record<string, { script: string; load: string }> = {
  bash: {
    script: `_local_needle() {
  local IFS=$'\\n'
  COMPREPLY=($(local-needle --get-completions "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null))
}
complete -o default -F _local_needle local-needle`,
    load: 'Add this line to ~/.bashrc:  eval "$(local-needle completion bash)"',
  },
  zsh: {
    script: `_local_needle() {
  local -a found
  found=("\${(@f)$(local-needle --get-completions "\${(@)words[2,CURRENT]}" 2>/dev/null)}")
  if [[ -n "$found" ]]; then compadd -a found; else _files; fi
}
(( $+functions[compdef] )) || { autoload -Uz compinit && compinit; }
compdef _local_needle local-needle`,
    load: 'Add this line to ~/.zshrc:  eval "$(local-needle completion zsh)"',
  },
  fish: {
    script: `complete -c local-needle -a '(local-needle --get-completions (commandline -opc)[2..] (commandline -ct) 2>/dev/null)'`,
    load: 'Add this line to ~/.config/fish/config.fish:  local-needle completion fish | source',
  },
};

const positionals = {
  shell: { choices: Object.keys(shells), describe: 'bash, zsh or fish (default: your shell)' },
} as const;

type CompletionArguments = ArgumentsOf<typeof positionals, Record<never, never>>;

export const command = defineCommand<CompletionArguments>({
  positionals,
  examples: Object.entries(shells).map(([shell, { load }]): [string, string] => [`$0 completion ${shell}`, load]),
  run({ shell }, { out }) {
    const own = basename(process.env['SHELL'] ?? '');
    const name = shell ?? (Object.hasOwn(shells, own) ? own : 'bash');
    const { script, load } = shells[String(name)] ?? { script: '', load: '' };
    out(`# ${load}\n${script}`);
    return Promise.resolve(status.fine);
  },
});
