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
    .description('remember where Uniferum is, and an API key')
    .argument('[address]', 'where Uniferum is; asked for when it is absent')
    .addHelpText(
      'after',
      '\nThe key is asked for, or read from standard input: uniferum login https://… < key.txt\nIt is stored in ~/.config/uniferum/config.json, readable by you alone. Flags and UNIFERUM_URL, UNIFERUM_KEY go first.',
    )
    .action(async (address: string | undefined) => {
      const { output } = context();
      const asked = await askFor([...(address === undefined ? ['Address of Uniferum: '] : []), 'API key: ']);
      const key = asked.pop()?.trim();
      const url = (address ?? asked[0] ?? '').trim();
      if (!URL.canParse(url))
        throw new Error(`"${url}" is no address. Pass one such as https://media.example.org.`);
      if (!key) throw new Error('There is no key. Create one with: node server/dist/admin.js key --name "…"');
      // Stored only when it is good.
      const me = await createClient({ baseUrl: url, key }).session.me();
      const path = await writeConfig(env, { url, key });
      output.out(`Signed in to ${url} as ${me.name}. Stored in ${path}.`);
    });
  program
    .command('logout')
    .description('forget the address and the key that login stored')
    .action(async () => {
      const { output } = context();
      output.out((await removeConfig(env)) ? 'Forgotten.' : 'Nothing was stored.');
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
