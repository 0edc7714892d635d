/** Writes an argument so that a POSIX shell takes it as it is. */
export function shellQuote(text: string): string {
  return /^[\w@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`;
}

/** A command line of `uniferum` from its words; absent ones are left out. */
export function commandLine(...words: (string | null | undefined | false)[]): string {
  return [
    'uniferum',
    ...words.filter((word): word is string => typeof word === 'string').map(shellQuote),
  ].join(' ');
}

/** An option with its value, or nothing when there is none. */
export function option(name: string, value: string | null | undefined): [string, string] | [] {
  return value === null || value === undefined || value === '' ? [] : [name, value];
}
