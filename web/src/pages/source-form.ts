import type { NewPageSource } from '@uniferum/client';
import type { DocumentFormat, PageSourceAnswer, SourceKind } from '@uniferum/core/pages';

/** The kinds of sources that can be added; that of the pages kept here is there already. */
export type AddedKind = Exclude<SourceKind, 'pages'>;

/** What is typed to add a source of any kind. */
export interface SourceForm {
  kind: AddedKind;
  name: string;
  path: string;
  url: string;
  host: string;
  port: string;
  user: string;
  secret: string;
  database: string;
  table: string;
  key: string;
  titleColumn: string;
  /** Names of columns, each with a format behind a colon unless it is HTML. */
  columns: string;
  depth: string;
  maxPages: string;
  perSecond: string;
  checked: boolean;
  writable: boolean;
  watched: boolean;
}

export const EMPTY_SOURCE: SourceForm = {
  ...{ kind: 'folder', name: '', path: '', url: '', host: '', port: '3306', user: '', secret: '' },
  ...{ database: '', table: '', key: 'id', titleColumn: '', columns: '' },
  ...{ depth: '10', maxPages: '2000', perSecond: '2', checked: true, writable: false, watched: false },
};

export const SOURCE_WORDS: Record<AddedKind, { name: string; about: string }> = {
  folder: {
    name: 'Folder of documents',
    about: 'HTML, Markdown, CSS, JSON and XML documents in a folder of this server.',
  },
  database: {
    name: 'Database of the site',
    about: "Columns of a table in the site's own MariaDB or MySQL database.",
  },
  site: { name: 'Site', about: 'Pages of any site, read over the network from a first page on.' },
};

/** The request that adds what was typed. */
export function toSource(form: SourceForm): NewPageSource {
  const { kind, name, url, writable, watched } = form;
  if (kind === 'folder')
    return {
      ...{ kind, name },
      settings: {
        path: form.path,
        ...(url !== '' && { url }),
        ...(writable && { writable }),
        ...(watched && { watched }),
      },
    };
  if (kind === 'site')
    return {
      ...{ kind, name },
      settings: {
        ...{ url, depth: Number(form.depth), maxPages: Number(form.maxPages) },
        ...{ perSecond: Number(form.perSecond), checked: form.checked },
      },
    };
  const { host, port, user, secret, database, table, key, titleColumn, columns } = form;
  return {
    ...{ kind, name },
    settings: {
      ...{ host, port: Number(port), user, database, table, key },
      columns: readColumns(columns),
      ...(titleColumn !== '' && { titleColumn }),
      ...(url !== '' && { url }),
      ...{ writable, watched },
    },
    ...(secret !== '' && { secret }),
  };
}

function readColumns(text: string): { name: string; format: DocumentFormat }[] {
  return text
    .split(',')
    .map((one) => one.trim())
    .filter((one) => one !== '')
    .map((one) => {
      const [name = '', format = 'html'] = one.split(':').map((part) => part.trim());
      return { name, format: format as DocumentFormat };
    });
}

/** Where a source is, in one line. */
export function placeOf(source: PageSourceAnswer): string {
  if (source.kind === 'pages') return 'kept by Uniferum';
  if (source.kind === 'folder') return source.settings.path;
  if (source.kind === 'site') return source.settings.url;
  const { host, port, database, table, columns } = source.settings;
  return `${host}:${port} ${database}.${table} (${columns.map(({ name }) => name).join(', ')})`;
}
