import type { Command } from 'commander';
import type { CliContext } from './context.js';

const SHELLS = ['bash', 'zsh', 'fish'] as const;
type Shell = (typeof SHELLS)[number];

/** Adds `completion`. */
export function addCompletionCommand(program: Command, context: () => CliContext): void {
  program
    .command('completion')
    .description('print the completion script for a shell')
    .argument('<shell>', SHELLS.join(', '))
    .addHelpText(
      'after',
      `
  bash: uniferum completion bash > ~/.local/share/bash-completion/completions/uniferum
  zsh:  uniferum completion zsh > ~/.zfunc/_uniferum   (with ~/.zfunc in fpath)
  fish: uniferum completion fish > ~/.config/fish/completions/uniferum.fish`,
    )
    .action((shell: string) => {
      if (!SHELLS.includes(shell as Shell)) throw new Error(`There is completion for ${SHELLS.join(', ')}.`);
      context().output.out(SCRIPTS[shell as Shell](wordsOf(program)));
    });
}

/** A command with its options, in the order of its help. */
interface Words {
  name: string;
  description: string;
  options: { flag: string; description: string }[];
}

function wordsOf(program: Command): Words[] {
  return [program, ...program.commands].map((command) => ({
    name: command === program ? '' : command.name(),
    description: command.description(),
    options: command.options
      .filter(({ long, hidden }) => long && !hidden)
      .map(({ long, description }) => ({ flag: long ?? '', description })),
  }));
}

const flagsOf = (words: Words | undefined) => (words?.options ?? []).map(({ flag }) => flag);
const quote = (text: string) => `'${text.replaceAll("'", "'\\''")}'`;

const SCRIPTS: Record<Shell, (words: Words[]) => string> = {
  bash: ([program, ...commands]) => `_uniferum() {
  local current="\${COMP_WORDS[COMP_CWORD]}" command="" word
  for word in "\${COMP_WORDS[@]:1:COMP_CWORD-1}"; do
    case "$word" in -*) ;; *) command="$word"; break ;; esac
  done
  local flags="${flagsOf(program).join(' ')}"
  case "$command" in
    "") COMPREPLY=($(compgen -W "${commands.map(({ name }) => name).join(' ')} $flags" -- "$current")); return ;;
${commands.map((one) => `    ${one.name}) flags="$flags ${flagsOf(one).join(' ')}" ;;`).join('\n')}
  esac
  if [[ "$current" == -* ]]; then COMPREPLY=($(compgen -W "$flags" -- "$current"))
  else COMPREPLY=($(compgen -f -- "$current")); fi
}
complete -o filenames -F _uniferum uniferum`,
  zsh: ([program, ...commands]) => `#compdef uniferum
_uniferum() {
  local -a commands
  commands=(
${commands.map(({ name, description }) => `    ${quote(`${name}:${description.replaceAll(':', '\\:')}`)}`).join('\n')}
  )
  _arguments -C ${zshOptions(program)} '1:command:->command' '*::argument:->argument'
  case $state in
    command) _describe command commands ;;
    argument)
      case $words[1] in
${commands.map((one) => `        ${one.name}) _arguments ${zshOptions(one)} '*:file:_files' ;;`).join('\n')}
      esac ;;
  esac
}
_uniferum "$@"`,
  fish: ([program, ...commands]) =>
    [
      'complete -c uniferum -f -n __fish_use_subcommand',
      ...commands.map(
        ({ name, description }) =>
          `complete -c uniferum -n __fish_use_subcommand -a ${name} -d ${quote(description)}`,
      ),
      ...(program?.options ?? []).map(
        ({ flag, description }) => `complete -c uniferum -l ${flag.slice(2)} -d ${quote(description)}`,
      ),
      ...commands.flatMap(({ name, options }) =>
        options.map(
          ({ flag, description }) =>
            `complete -c uniferum -n '__fish_seen_subcommand_from ${name}' -l ${flag.slice(2)} -d ${quote(description)}`,
        ),
      ),
    ].join('\n'),
};

function zshOptions(words: Words | undefined): string {
  return (words?.options ?? [])
    .map(({ flag, description }) =>
      quote(`${flag}[${description.replace(/[[\]:]/g, (sign) => `\\${sign}`)}]`),
    )
    .join(' ');
}
