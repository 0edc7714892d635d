import { createInterface } from 'node:readline/promises';
import { createClient } from '@uniferum/client';
import type { Command } from 'commander';
import { removeConfig, writeConfig } from './config.js';
import type { CliContext } from './context.js';

type Environment = Record<string, string | undefined>;

/** Adds `login` and `logout`. */
export function addSessionCommands(program: Command, context: () => CliContext, env: Environment): void {
  program
    .command('login')
    .description('store the URL of Uniferum and an API key')
    .argument('[address]', 'the URL of Uniferum; asked for if omitted')
    .addHelpText(
      'after',
      '\nThe key is asked for, or read from standard input: uniferum login https://… < key.txt\nIt is stored in ~/.config/uniferum/config.json, which only you can read. Flags, UNIFERUM_URL and UNIFERUM_KEY take precedence.',
    )
    .action(async (address: string | undefined) => {
      const { output } = context();
      const asked = await askFor([...(address === undefined ? ['URL of Uniferum: '] : []), 'API key: ']);
      const key = asked.pop()?.trim();
      const url = (address ?? asked[0] ?? '').trim();
      if (!URL.canParse(url))
        throw new Error(`"${url}" isn't a URL. Pass one such as https://media.example.org.`);
      if (!key)
        throw new Error(
          'No API key was given. Create one on the server: node server/dist/admin.js key --name "…"',
        );
      // Stored only when it is good.
      const me = await createClient({ baseUrl: url, key }).session.me();
      const path = await writeConfig(env, { url, key });
      output.out(`Signed in to ${url} as ${me.name}. Stored in ${path}.`);
    });
  program
    .command('logout')
    .description('delete the stored URL and key')
    .action(async () => {
      const { output } = context();
      output.out((await removeConfig(env)) ? 'The stored URL and key were deleted.' : 'Nothing was stored.');
    });
  program
    .command('whoami')
    .description('show the key in use, and its rights')
    .action(async () => {
      const { client, output } = context();
      const { name, rights } = await client.session.me();
      if (output.isJson) output.out(JSON.stringify({ name, rights }));
      else output.out(`${name}: ${rights.join(', ')}`);
    });
}

/** Asks on a terminal, and reads lines otherwise. The last answer is not shown while it is typed. */
async function askFor(questions: readonly string[]): Promise<string[]> {
  const { stdin: input, stderr } = process;
  if (!input.isTTY) {
    let text = '';
    for await (const piece of input) text += piece;
    return text.split('\n').slice(0, questions.length);
  }
  const lines = createInterface({ input, output: stderr, terminal: true });
  try {
    const answers: string[] = [];
    for (const [n, question] of questions.entries()) {
      const asking = lines.question(question);
      // What is typed is written by this method, which is not part of the documented interface.
      if (n === questions.length - 1) Object.assign(lines, { _writeToOutput: () => {} });
      answers.push(await asking);
    }
    stderr.write('\n');
    return answers;
  } finally {
    lines.close();
  }
}
