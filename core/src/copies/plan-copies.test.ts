import fc from 'fast-check';
import { expect, test } from 'vitest';
import { COPY_STATES, type Copy, type CopyState, goodCopies } from './copy.js';
import { planCopy, planPlacement } from './plan-copies.js';

const copies = (states: Record<string, CopyState>): Copy[] =>
  Object.entries(states).map(([store, state]) => ({ store, state }));
const add = (states: Record<string, CopyState>, store = 'bucket') => planCopy(copies(states), 'add', store);
const drop = (states: Record<string, CopyState>, store = 'bucket') => planCopy(copies(states), 'drop', store);
const refused = (reason: string) => ({ ok: false, reason });

test('a copy is added where there is none, or none that is good', () => {
  expect(add({ server: 'stored' })).toEqual({ ok: true, state: 'wanted' });
  expect(add({ server: 'stored', bucket: 'damaged' })).toEqual({ ok: true, state: 'wanted' });
  expect(add({ server: 'stored', bucket: 'removing' })).toEqual({ ok: true, state: 'wanted' });
});

test.each(['wanted', 'uploading', 'stored'] as const)('one that is %s is not added again', (state) => {
  expect(add({ server: 'stored', bucket: state })).toEqual(refused('present'));
});

test("nothing is added from copies that can't be read", () => {
  expect(add({ server: 'damaged' })).toEqual(refused('no-good-copy'));
  expect(add({ server: 'uploading', bucket: 'damaged' })).toEqual(refused('no-good-copy'));
});

test('a copy is dropped while another is good', () => {
  expect(drop({ server: 'stored', bucket: 'stored' })).toEqual({ ok: true, state: 'removing' });
  expect(drop({ server: 'stored', bucket: 'uploading' })).toEqual({ ok: true, state: 'removing' });
  expect(drop({ server: 'stored', bucket: 'damaged' })).toEqual({ ok: true, state: 'removing' });
  expect(drop({ server: 'stored' })).toEqual(refused('absent'));
  expect(drop({ server: 'stored', bucket: 'removing' })).toEqual(refused('absent'));
});

test.each(['wanted', 'uploading', 'damaged', 'removing'] as const)(
  'the last good copy stays although another is %s',
  (state) => {
    expect(drop({ server: state, bucket: 'stored' })).toEqual(refused('last-copy'));
  },
);

const place = (
  states: Record<string, CopyState>,
  { stores = ['bucket'], keepLocal = true as boolean | number, days = 0, home = 'server' } = {},
) =>
  planPlacement(copies(states), { stores, keepLocal }, { home, ageMs: days * 86_400_000 }).map(
    ({ action, store }) => `${action} ${store}`,
  );

test('a placement adds what is missing, and leaves what others added', () => {
  expect(place({ server: 'stored' }, { stores: ['bucket', 'vault'] })).toEqual(['add bucket', 'add vault']);
  expect(place({ server: 'stored', bucket: 'damaged' })).toEqual(['add bucket']);
  expect(place({ server: 'stored', bucket: 'stored', other: 'stored' })).toEqual([]);
});

test('the home copy goes at once, after some days, or never', () => {
  const there = { server: 'stored', bucket: 'stored' } as const;
  expect(place(there, { keepLocal: false })).toEqual(['drop server']);
  expect(place(there, { keepLocal: 7, days: 6.9 })).toEqual([]);
  expect(place(there, { keepLocal: 7, days: 7 })).toEqual(['drop server']);
  expect(place({ bucket: 'stored' }, { keepLocal: false })).toEqual([]);
  expect(place({ bucket: 'stored', server: 'removing' }, { keepLocal: false })).toEqual([]);
  expect(place(there, { keepLocal: true, days: 1000 })).toEqual([]);
});

test('the home copy stays until every named store has a good one', () => {
  const stores = ['bucket', 'vault'];
  expect(
    place({ server: 'stored', bucket: 'stored', vault: 'uploading' }, { stores, keepLocal: false }),
  ).toEqual([]);
  expect(place({ server: 'stored' }, { stores: [], keepLocal: false })).toEqual([]);
  expect(
    place({ server: 'stored', bucket: 'stored' }, { stores: ['bucket', 'server'], keepLocal: false }),
  ).toEqual([]);
});

/** A library with its home and two buckets, in which things are asked for, and end. */
class Copies {
  readonly states = new Map<string, CopyState>([['server', 'stored']]);

  get now(): Copy[] {
    return [...this.states].map(([store, state]) => ({ store, state }));
  }

  ask(action: 'add' | 'drop', store: string): void {
    const plan = planCopy(this.now, action, store);
    if (plan.ok) this.states.set(store, plan.state);
  }

  place(): void {
    const placement = { stores: ['bucket', 'vault'], keepLocal: false };
    for (const { store, state } of planPlacement(this.now, placement, { home: 'server', ageMs: 0 }))
      this.states.set(store, state);
  }

  /** What is under way begins, ends or fails. */
  happen(store: string, isGood: boolean): void {
    const state = this.states.get(store);
    if (state === 'wanted') this.states.set(store, 'uploading');
    else if (state === 'uploading') this.states.set(store, isGood ? 'stored' : 'wanted');
    else if (state === 'removing' && isGood) this.states.delete(store);
  }
}

test('property: whatever is asked for, and however uploads and deletions end, a good copy remains', () => {
  const step = fc.record({
    kind: fc.constantFrom('add', 'drop', 'ends', 'fails', 'place'),
    store: fc.constantFrom('server', 'bucket', 'vault'),
  });
  fc.assert(
    fc.property(fc.array(step, { maxLength: 60 }), (steps) => {
      const library = new Copies();
      for (const { kind, store } of steps) {
        if (kind === 'add' || kind === 'drop') library.ask(kind, store);
        else if (kind === 'place') library.place();
        else library.happen(store, kind === 'ends');
        expect(goodCopies(library.now).length).toBeGreaterThan(0);
      }
    }),
  );
});

test('property: a plan only ever asks for states of copies', () => {
  const some = fc.array(
    fc.record({ store: fc.constantFrom('a', 'b', 'c'), state: fc.constantFrom(...COPY_STATES) }),
  );
  fc.assert(
    fc.property(some, fc.constantFrom('add', 'drop'), fc.constantFrom('a', 'b'), (present, action, store) => {
      const plan = planCopy(present, action as 'add' | 'drop', store);
      if (plan.ok) expect(plan.state).toBe(action === 'add' ? 'wanted' : 'removing');
    }),
  );
});
