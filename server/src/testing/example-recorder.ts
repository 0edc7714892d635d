import { writeFileSync } from 'node:fs';
import { EXAMPLES_FILE, type Json, type OperationExample } from '../shared/openapi-examples.js';
import type { Route } from '../shared/route.js';
import type { Answer, TestServer } from './harness.js';

const MAX_ITEMS = 2;
const MAX_BYTES = 8000;
const MAX_LINES = 6;
/** Answers that are documents themselves. */
const DOCUMENTS = /openapi\.json$|schema\.json$/;
/** Shown once by a server, and of no use in an example. */
const SECRETS = /"(?<name>secret|token)":"[^"]{16,}"/g;

/** Keeps the good answers of a server as the examples of the API's document. */
export class ExampleRecorder {
  readonly #examples = new Map<string, OperationExample>();

  see({ method, path: template, answers }: Route, path: string, answer: Answer): void {
    const { status } = answer;
    if (DOCUMENTS.test(template)) return;
    const name = `${method} ${template}`;
    const known = this.#examples.get(name);
    const example = known ?? { params: {}, answers: {} };
    if (known === undefined || status < 400) example.params = paramsOf(template, path);
    this.#examples.set(name, example);
    const shown = shownOf(answer, answers[status]?.contentType);
    if (shown === null) return;
    const bytes = sizeOf(shown);
    // The fullest that is not too long to be read.
    if (bytes <= MAX_BYTES && bytes > sizeOf(example.answers[status] ?? '')) example.answers[status] = shown;
  }

  /** Writes what was seen, without what belongs to this computer. */
  write({ url, config }: TestServer): void {
    const names = [...this.#examples.keys()].sort();
    const [folder = ''] = config.sourceDirs;
    const text = JSON.stringify(Object.fromEntries(names.map((name) => [name, this.#examples.get(name)])))
      .replaceAll(url, 'https://media.skerry.example')
      .replaceAll(folder, '/srv/site')
      .replaceAll(config.dataDir, '/srv/uniferum')
      .replaceAll('http://127.0.0.1:9', 'https://objects.example')
      .replaceAll('"by":"Test"', '"by":"Nightly import"')
      .replace(SECRETS, '"$<name>":"shown only once"');
    writeFileSync(EXAMPLES_FILE, `${JSON.stringify(JSON.parse(text), null, 1)}\n`);
  }
}

/** What is shown of an answer: all of JSON, the first lines of a text, and nothing of a file. */
function shownOf({ body, bytes, headers }: Answer, documented = 'application/json'): Json | null {
  const [type = ''] = (headers.get('content-type') ?? '').split(';');
  if (type !== documented && documented !== '*/*') return null;
  if (documented === 'application/json') return body === undefined ? null : shorten(body);
  return /^text\/(?:csv|plain)$/.test(type)
    ? bytes.toString().split('\n').slice(0, MAX_LINES).join('\n')
    : null;
}

function paramsOf(template: string, path: string): Record<string, string> {
  const pattern = template.replace(/\{(\w+)\*\}/g, '(?<$1>.+)').replace(/\{(\w+)\}/g, '(?<$1>[^/]+)');
  const { groups = {} } = new RegExp(`^${pattern}$`).exec(path) ?? {};
  return Object.fromEntries(Object.entries(groups).map(([name, value]) => [name, decodeURIComponent(value)]));
}

function shorten(value: Json): Json {
  if (Array.isArray(value)) return value.slice(0, MAX_ITEMS).map(shorten);
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(Object.entries(value).map(([key, part]) => [key, shorten(part)]));
}

function sizeOf(value: Json): number {
  return JSON.stringify(value).length;
}
