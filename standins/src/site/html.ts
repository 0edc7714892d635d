/** Text that is HTML already. */
export class Html {
  readonly text: string;

  constructor(text: string) {
    this.text = text;
  }
}

type Part = Html | string | number | null | undefined | readonly (Html | string)[];

/** Builds HTML: interpolated values are escaped, unless they are HTML themselves. */
export function html(strings: TemplateStringsArray, ...parts: Part[]): Html {
  return new Html(strings.reduce((text, string, index) => text + write(parts[index - 1]) + string));
}

function write(part: Part): string {
  if (part === null || part === undefined) return '';
  if (part instanceof Html) return part.text;
  if (Array.isArray(part)) return part.map(write).join('');
  return String(part).replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);
}
