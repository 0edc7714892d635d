import { chmod, mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { homedir } from 'node:os';
import { dirname, join } from 'node:path';

/** What `uniferum login` remembers. */
export interface Config {
  url: string;
  key: string;
}

type Environment = Record<string, string | undefined>;

/** Where the configuration is kept. Source: XDG Base Directory Specification 0.8. */
export function configPath(env: Environment): string {
  return (
    env.UNIFERUM_CONFIG ??
    join(env.XDG_CONFIG_HOME || join(env.HOME ?? homedir(), '.config'), 'uniferum', 'config.json')
  );
}

/** @throws Error when it is there and can't be read */
export async function readConfig(env: Environment): Promise<Partial<Config>> {
  const path = configPath(env);
  let text: string;
  try {
    text = await readFile(path, 'utf8');
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return {};
    throw new Error(`The configuration ${path} can't be read: ${(error as Error).message}`, { cause: error });
  }
  try {
    const { url, key }: Record<string, unknown> = JSON.parse(text);
    return { ...(typeof url === 'string' && { url }), ...(typeof key === 'string' && { key }) };
  } catch (cause) {
    throw new Error(
      `The configuration ${path} isn't valid JSON. Correct it, or sign in again with "uniferum login".`,
      { cause },
    );
  }
}

/** Writes it so that nobody else can read the key. */
export async function writeConfig(env: Environment, config: Config): Promise<string> {
  const path = configPath(env);
  await mkdir(dirname(path), { recursive: true, mode: 0o700 });
  const beside = `${path}.${process.pid}`;
  try {
    await writeFile(beside, `${JSON.stringify(config, null, 2)}\n`, { mode: 0o600 });
    await chmod(beside, 0o600);
    await rename(beside, path);
  } finally {
    await rm(beside, { force: true });
  }
  return path;
}

/** @returns whether there was one */
export async function removeConfig(env: Environment): Promise<boolean> {
  try {
    await rm(configPath(env));
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return false;
    throw error;
  }
}
