import type { Run } from '@uniferum/client';
import type { Command } from 'commander';
import { type CliContext, EXIT } from './context.js';
import { runLine, table } from './output.js';

/** Adds `runs`. */
export function addRunCommands(program: Command, context: () => CliContext): void {
  program
    .command('runs')
    .description('list runs, or control one')
    .argument('[id]')
    .option('--stop', 'stop it', false)
    .option('--resume', 'resume it', false)
    .option('--retry', 'retry failed items', false)
    .option('--undo', 'undo its changes', false)
    .option('--wait', 'wait for the run to end', false)
    .action((id: string | undefined, options: RunOptions) => runs(context(), id, options));
}

interface RunOptions {
  stop: boolean;
  resume: boolean;
  retry: boolean;
  undo: boolean;
  wait: boolean;
}

async function runs(context: CliContext, id: string | undefined, options: RunOptions): Promise<void> {
  const { client, output } = context;
  if (id === undefined) {
    const { items } = await client.runs.list({ limit: 30 });
    if (output.isJson) output.out(JSON.stringify(items));
    else
      for (const line of table(
        items.map((run) => [
          run.id,
          run.state,
          `${run.done + run.skipped + run.failed}/${run.total}`,
          run.title,
        ]),
      ))
        output.out(line);
    return;
  }
  let run: Run;
  if (options.stop) run = await client.runs.stop(id);
  else if (options.resume) run = await client.runs.resume(id);
  else if (options.retry) run = await client.runs.retry(id);
  else if (options.undo) run = (await client.runs.undo(id)).run;
  else run = await client.runs.get(id);
  await followRun(context, run, options.wait);
}

/** Shows a run, and optionally waits until it has ended. The exit code reports errors. */
export async function followRun(
  { client, output, endWith }: CliContext,
  begun: Run,
  isWaiting: boolean,
): Promise<void> {
  const run = isWaiting
    ? await client.runs.wait(begun.id, {
        onProgress: (now) =>
          output.progress?.(
            `${now.title}  ${runLine(now)}${now.heldReason === null ? '' : `  on hold: ${now.heldReason}`}`,
          ),
      })
    : begun;
  output.progress?.('');
  if (output.isJson) output.out(JSON.stringify(run));
  else
    output.out(
      `run ${run.id}  ${run.title}: ${run.state}, ${run.done} done, ${run.skipped} left or refused, ${run.failed} failed of ${run.total}${run.heldReason === null ? '' : `; on hold: ${run.heldReason}`}`,
    );
  if (isWaiting && (run.failed > 0 || run.state === 'failed')) endWith(EXIT.partly);
}

/** The same for a run that takes files in: says which were refused, and the exit code as well. */
export async function followIntake(
  context: CliContext,
  { run, intake }: { run: Run; intake: string | { id: string } },
  isWaiting: boolean,
): Promise<void> {
  await followRun(context, run, isWaiting);
  if (!isWaiting) return;
  const { client, output, endWith } = context;
  const id = typeof intake === 'string' ? intake : intake.id;
  if ((await client.intakes.get(id)).refused === 0) return;
  endWith(EXIT.partly);
  for await (const { verdict } of client.intakes.files(id, { limit: 500 }))
    if (verdict.outcome === 'refused')
      output.err(`${verdict.name}  refused  ${verdict.reasons.map(({ message }) => message).join(' ')}`);
}

/** Adds `call`: any API request, for routes without a command. */
export function addCallCommand(program: Command, context: () => CliContext): void {
  program
    .command('call')
    .description('send any request of the API, such as: call POST /folders --body \'{"path":"/lights"}\'')
    .argument('<method>')
    .argument('<path>', 'below /api/v1')
    .option('--body <json>')
    .action(async (method: string, path: string, { body }: { body?: string }) => {
      const { client, output } = context();
      const answer = await client.call(
        method.toUpperCase() as 'GET',
        path,
        body === undefined ? undefined : JSON.parse(body),
      );
      if (answer !== undefined) output.out(JSON.stringify(answer, null, output.isJson ? 0 : 2));
    });
}
