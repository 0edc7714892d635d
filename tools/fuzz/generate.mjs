// @ts-check
// Generates valid and invalid input from the schemas that routes use for validation.

import { STEP_KINDS } from '../../core/dist/recipes/index.js';
import { BY_KIND, BY_NAME, FIELDS, HOSTILE, OPERATORS, SMALL_PX, WORDS } from './values.mjs';

/** @typedef {import('../random.mjs').Random} Random */
/** @typedef {Record<string, any>} Description what `schema.describe()` says */

/** Ids seen in responses, by kind, so that requests refer to existing things. */
export class Known {
  /** @type {Map<string, string[]>} */
  #values = new Map();

  /** @param {string} kind @param {unknown} value */
  add(kind, value) {
    if (typeof value !== 'string') return;
    const values = this.#values.get(kind) ?? [];
    if (values.includes(value)) return;
    values.push(value);
    // The newest are the most likely to still exist.
    if (values.length > 40) values.shift();
    this.#values.set(kind, values);
  }

  /** @param {string} kind @param {Random} random @returns {string | undefined} */
  pick(kind, random) {
    const values = this.#values.get(kind) ?? [];
    return values.length === 0 ? undefined : random.pick(values);
  }
}

/** Generates values for schemas. */
export class Generator {
  /** @param {Random} random @param {Known} known */
  constructor(random, known) {
    this.random = random;
    this.known = known;
  }

  /** A value as a schema wants it, as far as it says what it wants. @param {Description} schema @param {string} [name] @returns {any} */
  fitting(schema, name = '') {
    const { random } = this;
    const flags = schema.flags ?? {};
    if (flags.only && schema.allow) return random.pick(schema.allow);
    if (schema.allow && random.next() < 0.1) return random.pick(schema.allow);
    const named = this.#named(schema, name);
    if (named !== undefined && random.next() < 0.8) return named;
    if (schema.examples && random.next() < 0.3) return structuredClone(random.pick(schema.examples));
    switch (schema.type) {
      case 'object':
        return this.#object(schema);
      case 'array':
        return this.#array(schema, name);
      case 'alternatives':
        return this.fitting(random.pick(schema.matches).schema ?? schema.matches[0].schema, name);
      case 'number':
        return this.#number(schema);
      case 'boolean':
        return random.next() < 0.5;
      case 'date':
        return new Date(random.below(4e9) * 1000).toISOString();
      case 'string':
        return this.#text(schema);
      default:
        return random.pick(HOSTILE);
    }
  }

  /** Puts something hostile into a value, at a random place. @param {unknown} value @param {number} [depth] @returns {any} */
  spoilt(value, depth = 0) {
    const { random } = this;
    if (value === null || typeof value !== 'object' || depth > 6 || random.next() < 0.15)
      return this.hostile();
    if (Array.isArray(value)) {
      if (value.length === 0) return [this.hostile()];
      const at = random.below(value.length);
      return value.map((item, n) => (n === at ? this.spoilt(item, depth + 1) : item));
    }
    const keys = Object.keys(value);
    const copy = /** @type {Record<string, unknown>} */ ({ ...value });
    const chance = random.next();
    if (keys.length === 0 || chance < 0.1)
      copy[random.pick(['x', 'constructor', '', 'a'.repeat(500)])] = this.hostile();
    else {
      const key = random.pick(keys);
      if (chance < 0.25) delete copy[key];
      else copy[key] = this.spoilt(copy[key], depth + 1);
    }
    return copy;
  }

  hostile() {
    return structuredClone(this.random.pick(HOSTILE));
  }

  /** A few terms of the filter language, valid or not. */
  #filter() {
    const { random } = this;
    const term = () =>
      `${random.pick(['', '', '-', '('])}${random.pick(FIELDS)}${random.pick(OPERATORS)}${random.pick(WORDS)}`;
    return Array.from({ length: random.between(1, 4) }, term).join(random.pick([' ', ' or ', '  ']));
  }

  /** A chain of steps, as described by core. */
  #steps() {
    const { random } = this;
    return Array.from({ length: random.between(0, 3) }, () => {
      const [op, kind] = random.pick(Object.entries(STEP_KINDS));
      /** @type {Record<string, unknown>} */
      const step = { op };
      for (const [name, field] of Object.entries(kind.fields))
        if (field.required || random.next() < 0.5) step[name] = this.#setting(field);
      return step;
    });
  }

  /** @param {any} field */
  #setting(field) {
    const { random } = this;
    switch (field.kind) {
      case 'integer':
        return random.between(field.min, Math.min(field.max, SMALL_PX));
      case 'number':
        return field.min + random.next() * (Math.min(field.max, SMALL_PX) - field.min);
      case 'choice':
        return random.pick(field.options);
      case 'flag':
        return random.next() < 0.5;
      case 'colour':
        return random.pick(['#ffffff', 'transparent', '#12345680', 'red']);
      case 'aspect':
        return random.pick(['3:2', '1:1', '0:1']);
      case 'picture':
        return this.known.pick('asset', random) ?? '1';
      default:
        return random.pick(['A lamp', '', 'ß'.repeat(100)]);
    }
  }

  /** @param {Description} schema @param {string} name */
  #named(schema, name) {
    if (name === 'q') return this.#filter();
    if (name === 'steps') return this.#steps();
    const own = BY_NAME[name];
    if (own) return structuredClone(this.random.pick(own));
    if (schema.type !== 'string') return undefined;
    for (const [pattern, kind] of BY_KIND) if (pattern.test(name)) return this.known.pick(kind, this.random);
    return undefined;
  }

  /** @param {Description} schema */
  #object(schema) {
    /** @type {Record<string, unknown>} */
    const value = {};
    for (const [key, child] of Object.entries(schema.keys ?? {}))
      if (child.flags?.presence === 'required' || this.random.next() < 0.5)
        value[key] = this.fitting(child, key);
    // One of several mutually exclusive keys is kept.
    for (const { peers = [] } of schema.dependencies ?? [])
      for (const peer of peers.filter((/** @type {string} */ peer) => peer in value).slice(1))
        delete value[peer];
    return value;
  }

  /** @param {Description} schema @param {string} name */
  #array(schema, name) {
    const least = limitOf(schema, 'min') ?? 0;
    const most = Math.min(limitOf(schema, 'max') ?? 4, least + 4);
    const items = schema.items ?? [];
    return Array.from({ length: this.random.between(least, most) }, () =>
      items.length > 0 ? this.fitting(this.random.pick(items), name) : this.hostile(),
    );
  }

  /** @param {Description} schema */
  #number(schema) {
    const { random } = this;
    const least = limitOf(schema, 'min') ?? -1000;
    const most = limitOf(schema, 'max') ?? 1e6;
    const chance = random.next();
    if (chance < 0.15) return least;
    if (chance < 0.3) return most;
    const value = least + random.next() * (Math.min(most, least + 1000) - least);
    return hasRule(schema, 'integer') ? Math.floor(value) : value;
  }

  /** @param {Description} schema */
  #text(schema) {
    const { random } = this;
    const exactly = limitOf(schema, 'length');
    const length =
      exactly ?? random.between(limitOf(schema, 'min') ?? 1, Math.min(limitOf(schema, 'max') ?? 12, 40));
    const letters = hasRule(schema, 'hex') ? '0123456789abcdef' : 'abcdefghij klmno/äß😀-_.,';
    const text = Array.from({ length }, () => random.pick([...letters])).join('');
    const kinds = ['folder', 'recipe', 'asset', 'cursor'];
    return random.next() < 0.3 ? (this.known.pick(random.pick(kinds), random) ?? text) : text;
  }
}

/** @param {Description} schema @param {string} rule */
function hasRule(schema, rule) {
  return (schema.rules ?? []).some((/** @type {{ name: string }} */ { name }) => name === rule);
}

/** @param {Description} schema @param {string} rule @returns {number | undefined} */
function limitOf(schema, rule) {
  const found = (schema.rules ?? []).find((/** @type {{ name: string }} */ { name }) => name === rule);
  return typeof found?.args?.limit === 'number' ? found.args.limit : undefined;
}
