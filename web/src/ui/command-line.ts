/** Quotes an argument for a POSIX shell. */
export function shellQuote(text: string): string {
  return /^[\w@%+=:,./-]+$/.test(text) ? text : `'${text.replaceAll("'", `'\\''`)}'`;
}

/** Builds a command line of `uniferum`; absent words are skipped. */
export function commandLine(...words: (string | null | undefined | false)[]): string {
  return [
    'uniferum',
    ...words.filter((word): word is string => typeof word === 'string').map(shellQuote),
  ].join(' ');
}

/** An option with its value, or nothing without one. */
export function option(name: string, value: string | null | undefined): [string, string] | [] {
  return value === null || value === undefined || value === '' ? [] : [name, value];
}
