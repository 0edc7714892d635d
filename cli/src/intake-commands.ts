import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import type { UploadResult } from '@uniferum/client';
import type { Command } from 'commander';
import { type CliContext, EXIT } from './context.js';
import { below, digestOf, type LocalFile, listFiles, openFile } from './files.js';
import { findAsset } from './find-asset.js';
import { progressLine } from './output.js';
import { followIntake } from './run-commands.js';

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
  name?: string;
  skipExisting: boolean;
  rename: boolean;
}

/** Files of at least this size are uploaded in pieces, so that a lost connection costs only one of them. */
const RESUMABLE_BYTES = 64 * 1024 * 1024;
const CHUNK = { files: 50, bytes: 64 * 1024 * 1024 };

/** Adds `up` and `check`. */
export function addIntakeCommands(program: Command, context: () => CliContext): void {
  program
    .command('up')
    .description('import files, folders, archives, manifests or URLs')
    .argument('<sources...>', 'paths, http(s) addresses or data URIs; "-" for standard input, with --name')
    .option('--to <folder>', 'destination folder', '/')
    .option('--unpack', 'unpack ZIP archives', false)
    .option('--manifest', 'import a manifest: CSV or JSON with inbox paths or URLs', false)
    .option('--link', 'keep URLs as links to media elsewhere', false)
    .option('--name <name>', 'the name of the file from standard input')
    .option('--skip-existing', 'skip files that are already in the library at the same path', false)
    .option('--no-rename', 'refuse files whose names are taken, instead of renaming them')
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
    .argument('<files...>', 'paths of files or folders')
    .option('--to <folder>', 'destination folder', '/')
    .action((files: string[], { to }: { to: string }) => check(context(), files, to));
}

async function up(context: CliContext, sources: string[], options: UpOptions): Promise<void> {
  const addresses = sources.filter((source) => /^(?:https?|data):/i.test(source));
  const paths = sources.filter((source) => !addresses.includes(source) && source !== '-');
  if (!options.rename && (options.unpack || options.manifest))
    throw new Error("--no-rename can't be combined with --unpack or --manifest.");
  if (sources.includes('-')) {
    if (options.name === undefined)
      throw new Error('Pass the name of the file from standard input with --name.');
    if (sources.length > 1) throw new Error("Standard input can't be combined with other sources.");
    await upStandardInput(context, options.name, options);
    return;
  }
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
  const fields = fieldsOf(options);
  // A run has no fields of its own for its files.
  if (addresses.length === 1 || options.link || Object.keys(fields).length > 0) {
    for (const source of addresses) {
      const asset = await client.assets.fetch({
        source,
        folder: options.to,
        ...fields,
        ...(options.link && { as: 'link' }),
      });
      showResult(context, { name: asset.name, verdict: asset.verdict, asset });
    }
    context.output.end({}, '');
    return;
  }
  const { run, intake } = await client.intakes.addresses({ folder: options.to, addresses });
  await followIntake(context, { run, intake }, options.wait);
}

async function upManifest(context: CliContext, path: string, options: UpOptions): Promise<void> {
  const { client, output } = context;
  const request = { content: await readFile(path, 'utf8'), folder: options.to, label: basename(path) };
  if (!options.rehearse) {
    const { run, intake } = await client.intakes.manifest(request);
    await followIntake(context, { run, intake }, options.wait);
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
    const { run, intake } = await client.intakes.archive({ name, folder, data: await openFile(path) });
    await followIntake(context, { run: await client.runs.get(run), intake }, options.wait);
  }
  const wanted = files.filter((file) => !archives.includes(file));
  const plain = options.skipExisting ? await withoutExisting(context, wanted) : wanted;
  if (plain.length === 0) {
    output.end({ skipped: wanted.length }, wanted.length > 0 ? 'All files are already in the library.' : '');
    return;
  }
  const intake = (await client.intakes.begin(options.to)).id;
  const total = plain.reduce((sum, { bytes }) => sum + bytes, 0);
  let [sent, done] = [0, 0];
  const tell = (now: number) =>
    output.progress?.(
      `${progressLine(done, plain.length, null, null)} files, ${Math.round((100 * now) / Math.max(1, total))} %`,
    );
  try {
    for (const chunk of cut(plain)) {
      const results = await upChunk(context, chunk, {
        intake,
        options,
        onProgress: (own) => tell(sent + own),
      });
      sent += chunk.reduce((sum, { bytes }) => sum + bytes, 0);
      done += results.length;
      output.progress?.('');
      for (const result of results) showResult(context, result);
    }
  } catch (error) {
    output.progress?.('');
    output.err(
      `${done} of ${plain.length} files were uploaded. Repeat the command with --skip-existing for the rest.`,
    );
    throw error;
  } finally {
    output.end({ total: plain.length, uploaded: done, skipped: wanted.length - plain.length }, '');
  }
}

async function upChunk(
  context: CliContext,
  chunk: readonly LocalFile[],
  { intake, options, onProgress }: { intake: string; options: UpOptions; onProgress: (sent: number) => void },
): Promise<UploadResult[]> {
  const [first] = chunk;
  if (first && first.bytes >= RESUMABLE_BYTES)
    return [await upResumably(context, first, { intake, options, onProgress })];
  const files = await Promise.all(
    chunk.map(async ({ path, name, folder }) => ({ name, folder, data: await openFile(path) })),
  );
  const folder = first?.folder ?? '/';
  return context.client.assets.upload({ folder, intake, files, onProgress, ...fieldsOf(options) });
}

async function upStandardInput(context: CliContext, name: string, options: UpOptions): Promise<void> {
  const results = await context.client.assets.upload({
    ...{ folder: options.to, ...fieldsOf(options) },
    files: [{ name, data: process.stdin }],
  });
  for (const result of results) showResult(context, result);
  context.output.end({}, '');
}

/** Without files whose bytes are in the library already, at the same path. */
async function withoutExisting(context: CliContext, files: readonly LocalFile[]): Promise<LocalFile[]> {
  const left: LocalFile[] = [];
  for (const file of files) {
    const asset = await findAsset(context, below(file.folder, file.name));
    const isThere = asset?.bytes === file.bytes && (await digestOf(file.path)) === asset.sha256;
    if (!isThere) left.push(file);
  }
  return left;
}

async function upResumably(
  { client }: CliContext,
  { path, name, folder }: LocalFile,
  { intake, options, onProgress }: { intake: string; options: UpOptions; onProgress: (sent: number) => void },
): Promise<UploadResult> {
  const { verdict, asset } = await client.assets.uploadResumably({
    name,
    folder,
    intake,
    data: await openFile(path),
    onProgress,
    ...fieldsOf(options),
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

function fieldsOf({ rename, title, alt, caption, credit, keywords }: UpOptions) {
  return {
    ...(!rename && { rename }),
    ...(title !== undefined && { title }),
    ...(alt !== undefined && { alt }),
    ...(caption !== undefined && { caption }),
    ...(credit !== undefined && { credit }),
    ...(keywords !== undefined && { keywords: keywords.split(',').map((word) => word.trim()) }),
  };
}

function showResult({ output, endWith }: CliContext, { name, verdict, asset }: UploadResult): void {
  const isRefused = verdict.outcome === 'refused';
  const reasons = verdict.reasons.map(({ message }) => message).join(' ');
  const line = [name, verdict.outcome, asset?.url ?? '', reasons].filter((part) => part !== '').join('  ');
  if (isRefused && !output.isJson) output.err(line);
  else output.item({ name, verdict, asset: asset?.id ?? null, url: asset?.url ?? null }, line);
  if (isRefused) endWith(EXIT.partly);
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
