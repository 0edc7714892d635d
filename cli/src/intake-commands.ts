import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import type { UploadResult } from '@uniferum/client';
import type { Command } from 'commander';
import { type CliContext, EXIT } from './context.js';
import { type LocalFile, listFiles, openFile } from './files.js';
import { progressLine, table } from './output.js';
import { acceptRenamed } from './renamed-flags.js';
import { followRun } from './run-commands.js';

interface UpOptions {
  to: string;
  unpack: boolean;
  manifest: boolean;
  link: boolean;
  rehearse: boolean;
  alt?: string;
  title?: string;
  caption?: string;
  credit?: string;
  keywords?: string;
  wait: boolean;
}

/** Files of at least this size are uploaded in pieces, so that a lost connection costs only one of them. */
const RESUMABLE_BYTES = 64 * 1024 * 1024;
const CHUNK = { files: 50, bytes: 64 * 1024 * 1024 };

/** Adds `up`, `check` and `inbox`. */
export function addIntakeCommands(program: Command, context: () => CliContext): void {
  program
    .command('up')
    .description('import files, folders, archives, manifests or URLs')
    .argument('<sources...>', 'paths, http(s) addresses or data URIs')
    .option('--to <folder>', 'destination folder', '/')
    .option('--unpack', 'unpack ZIP archives', false)
    .option('--manifest', 'import a manifest: CSV or JSON with inbox paths or URLs', false)
    .option('--link', 'keep URLs as links to media elsewhere', false)
    .option('--title <text>')
    .option('--alt <text>', 'alternative text')
    .option('--caption <text>')
    .option('--credit <text>')
    .option('--keywords <words>', 'separated by commas')
    .option('--rehearse', 'show the verdicts and upload nothing', false)
    .option('--no-wait', 'return immediately instead of waiting for the run')
    .action((sources: string[], options: UpOptions) => up(context(), sources, options));
  program
    .command('check')
    .description('check files against the rules of a folder')
    .argument('<files...>')
    .option('--to <folder>', 'destination folder', '/')
    .action((files: string[], { to }: { to: string }) => check(context(), files, to));
  const inboxing = program
    .command('inbox')
    .description('list the inbox, or import from it')
    .argument('[paths...]', 'only these files; all new ones when absent')
    .option('--to <folder>', 'destination folder', '/')
    .option('--import', 'import the files', false)
    .option('--mode <mode>', 'copy, move or place (import in place)', 'copy')
    .option('--rehearse', 'show what would be imported', false)
    .option('--no-wait', 'return immediately instead of waiting for the run')
    .action((paths: string[], options: InboxOptions) => inbox(context(), paths, options));
  acceptRenamed(inboxing, { '--register': '--import' }, context);
}

async function up(context: CliContext, sources: string[], options: UpOptions): Promise<void> {
  const addresses = sources.filter((source) => /^(?:https?|data):/i.test(source));
  const paths = sources.filter((source) => !addresses.includes(source));
  if (options.manifest) {
    for (const path of paths) await upManifest(context, path, options);
    return;
  }
  if (options.rehearse) {
    await check(context, paths, options.to);
    return;
  }
  if (addresses.length > 0) await upAddresses(context, addresses, options);
  if (paths.length > 0) await upFiles(context, await listFiles(paths, options.to), options);
}

async function upAddresses(context: CliContext, addresses: string[], options: UpOptions): Promise<void> {
  const { client } = context;
  const [only, ...more] = addresses;
  if (only !== undefined && (more.length === 0 || options.link)) {
    for (const source of addresses) {
      const asset = await client.assets.fetch({
        source,
        folder: options.to,
        ...textsOf(options),
        ...(options.link && { as: 'link' }),
      });
      showResults(context, [{ name: asset.name, verdict: asset.verdict, asset }]);
    }
    return;
  }
  const { run } = await client.intakes.addresses({ folder: options.to, addresses });
  await followRun(context, run, options.wait);
}

async function upManifest(context: CliContext, path: string, options: UpOptions): Promise<void> {
  const { client, output } = context;
  const request = { content: await readFile(path, 'utf8'), folder: options.to, label: basename(path) };
  if (!options.rehearse) {
    const { run } = await client.intakes.manifest(request);
    await followRun(context, run, options.wait);
    return;
  }
  const { plan } = await client.intakes.rehearseManifest(request);
  if (output.isJson) output.out(JSON.stringify(plan));
  else {
    output.out(`${plan.totals.taken} of ${plan.totals.rows} rows would be imported.`);
    for (const [field, column] of Object.entries(plan.mapping)) output.out(`  ${field} from "${column}"`);
    for (const { row, message } of plan.faults)
      output.err(`${row === null ? 'the manifest' : `row ${row}`}: ${message}`);
  }
  if (plan.faults.length > 0) context.endWith(EXIT.partly);
}

async function upFiles(context: CliContext, files: LocalFile[], options: UpOptions): Promise<void> {
  const { client, output } = context;
  const archives = options.unpack ? files.filter(({ name }) => /\.zip$/i.test(name)) : [];
  for (const { path, name, folder } of archives) {
    const { run } = await client.intakes.archive({ name, folder, data: await openFile(path) });
    await followRun(context, await client.runs.get(run), options.wait);
  }
  const plain = files.filter((file) => !archives.includes(file));
  if (plain.length === 0) return;
  const intake = (await client.intakes.begin(options.to)).id;
  const total = plain.reduce((sum, { bytes }) => sum + bytes, 0);
  let sent = 0;
  const results: UploadResult[] = [];
  const advance = (bytes: number) => {
    sent += bytes;
    output.progress?.(
      `${progressLine(results.length, plain.length, null, null)} files, ${Math.round((100 * sent) / Math.max(1, total))} %`,
    );
  };
  for (const chunk of cut(plain)) {
    const [first] = chunk;
    if (first && first.bytes >= RESUMABLE_BYTES) {
      results.push(await upResumably(context, first, intake, options));
    } else {
      const blobs = await Promise.all(
        chunk.map(async ({ path, name, folder }) => ({ name, folder, data: await openFile(path) })),
      );
      results.push(
        ...(await client.assets.upload({
          folder: first?.folder ?? '/',
          intake,
          files: blobs,
          ...textsOf(options),
        })),
      );
    }
    advance(chunk.reduce((sum, { bytes }) => sum + bytes, 0));
  }
  output.progress?.('');
  showResults(context, results);
}

async function upResumably(
  { client }: CliContext,
  { path, name, folder }: LocalFile,
  intake: string,
  options: UpOptions,
): Promise<UploadResult> {
  const { verdict, asset } = await client.assets.uploadResumably({
    name,
    folder,
    intake,
    data: await openFile(path),
    ...textsOf(options),
  });
  return { name, verdict, asset: asset === null ? null : await client.assets.get(asset) };
}

function cut(files: readonly LocalFile[]): LocalFile[][] {
  const chunks: LocalFile[][] = [];
  let bytes = Number.POSITIVE_INFINITY;
  for (const file of files) {
    const last = chunks.at(-1);
    if (!last || last.length >= CHUNK.files || bytes + file.bytes > CHUNK.bytes) {
      chunks.push([file]);
      bytes = file.bytes;
    } else {
      last.push(file);
      bytes += file.bytes;
    }
  }
  return chunks;
}

function textsOf({ title, alt, caption, credit, keywords }: UpOptions) {
  return {
    ...(title !== undefined && { title }),
    ...(alt !== undefined && { alt }),
    ...(caption !== undefined && { caption }),
    ...(credit !== undefined && { credit }),
    ...(keywords !== undefined && { keywords: keywords.split(',').map((word) => word.trim()) }),
  };
}

function showResults({ output, endWith }: CliContext, results: readonly UploadResult[]): void {
  if (output.isJson)
    output.out(
      JSON.stringify(
        results.map(({ name, verdict, asset }) => ({
          name,
          verdict,
          asset: asset?.id ?? null,
          url: asset?.url ?? null,
        })),
      ),
    );
  else
    for (const { name, verdict, asset } of results) {
      const reasons = verdict.reasons.map(({ message }) => message).join(' ');
      const line = [name, verdict.outcome, asset?.url ?? '', reasons]
        .filter((part) => part !== '')
        .join('  ');
      if (verdict.outcome === 'refused') output.err(line);
      else output.out(line);
    }
  if (results.some(({ verdict }) => verdict.outcome === 'refused')) endWith(EXIT.partly);
}

async function check({ client, output, endWith }: CliContext, paths: string[], to: string): Promise<void> {
  const files = await listFiles(paths, to);
  const folders = [...new Set(files.map(({ folder }) => folder))];
  const verdicts = [];
  for (const folder of folders) {
    const here = files.filter((file) => file.folder === folder);
    verdicts.push(
      ...(await client.intakes.check({ folder, files: here.map(({ name, bytes }) => ({ name, bytes })) }))
        .verdicts,
    );
  }
  if (output.isJson) output.out(JSON.stringify(verdicts));
  else
    for (const { name, outcome, reasons } of verdicts)
      output.out([name, outcome, ...reasons.map(({ message }) => message)].join('  '));
  if (verdicts.some(({ outcome }) => outcome === 'refused')) endWith(EXIT.partly);
}

interface InboxOptions {
  to: string;
  import: boolean;
  mode: 'copy' | 'move' | 'place';
  rehearse: boolean;
  wait: boolean;
}

async function inbox(context: CliContext, paths: string[], options: InboxOptions): Promise<void> {
  const { client, output } = context;
  const request = { paths: paths.length > 0 ? paths : null, mode: options.mode, folder: options.to };
  if (options.rehearse || !options.import) {
    const items = options.rehearse
      ? (await client.inbox.rehearse(request)).plan.items
      : (await client.inbox.list({ folder: options.to })).items;
    if (output.isJson) output.out(JSON.stringify(items));
    else
      for (const line of table(
        items.map(({ path, state, bytes, folder, verdict }) => [
          path,
          state,
          String(bytes),
          folder,
          verdict?.reasons.map(({ message }) => message).join(' ') ?? '',
        ]),
      ))
        output.out(line);
    return;
  }
  const { run } = await client.inbox.register(request);
  if (run === null) output.out(output.isJson ? '{"run":null}' : 'Nothing in the inbox is new.');
  else await followRun(context, run, options.wait);
}
