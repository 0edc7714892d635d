import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { act, renderHook, waitFor } from '@testing-library/react';
import type { SitePageAnswer } from '@uniferum/core/pages';
import type { ReactNode } from 'react';
import { beforeEach, expect, test, vi } from 'vitest';
import { answer, callsOf, forgetAnswers, problem } from '../testing/fake-client.js';
import { asset } from '../testing/samples.js';
import { usePageDraft } from './use-page-draft.js';

beforeEach(forgetAnswers);

const page = (more: Partial<SitePageAnswer> = {}) =>
  ({ id: '7', title: 'A', body: '<p>a</p>', revision: 1, slots: {}, regions: {}, ...more }) as SitePageAnswer;

function open() {
  const queries = new QueryClient({ defaultOptions: { mutations: { retry: false } } });
  const wrapper = ({ children }: { children: ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  );
  return renderHook(() => usePageDraft({ value: page(), etag: '"7.1"' }), { wrapper });
}

test('what is written is collected and saved after a pause, each over the state before', async () => {
  let revision = 1;
  answer({
    'pages.changeTagged': (_id: string, patch: object) => {
      revision += 1;
      return { value: page({ ...patch, revision }), etag: `"7.${revision}"` };
    },
  });
  const { result } = open();
  act(() => {
    result.current.change({ body: '<p>b</p>' });
    result.current.change({ title: 'B' });
    result.current.change({ body: '<p>c</p>' });
  });
  expect(result.current.isSaved).toBe(false);
  await waitFor(() => expect(callsOf('pages.changeTagged')).toHaveLength(1));
  expect(callsOf('pages.changeTagged')[0]).toMatchObject([
    '7',
    { body: '<p>c</p>', title: 'B' },
    { ifMatch: '"7.1"', autosave: true },
  ]);
  await waitFor(() => expect(result.current.isSaved).toBe(true));
  await act(async () => void (await result.current.saveNow({ state: 'published' })));
  expect(callsOf('pages.changeTagged')[1]).toMatchObject(['7', { state: 'published' }, { ifMatch: '"7.2"' }]);
});

test('over what somebody else saved is not written until that is said, and nothing typed is lost', async () => {
  answer({ 'pages.changeTagged': problem(412, 'It was changed.') });
  const { result } = open();
  act(() => result.current.change({ body: '<p>mine</p>' }));
  await act(async () => void (await result.current.saveNow()));
  await waitFor(() => expect(result.current).toMatchObject({ isStale: true, isSaved: false, error: null }));
  answer({ 'pages.changeTagged': { value: page({ body: '<p>mine</p>' }), etag: '"7.9"' } });
  await act(async () => void (await result.current.keepMine()));
  const [, patch, options] = callsOf('pages.changeTagged').at(-1) ?? [];
  expect(patch).toEqual({ body: '<p>mine</p>' });
  expect(options).not.toHaveProperty('ifMatch');
  await waitFor(() => expect(result.current).toMatchObject({ isStale: false, isSaved: true }));
});

test('a refusal to publish keeps what was written, and does not publish with the next save', async () => {
  answer({ 'pages.changeTagged': problem(422, 'Picture 1 has no alternative text.') });
  const { result } = open();
  act(() => result.current.change({ body: '<p>mine</p>' }));
  await act(async () => expect(await result.current.saveNow({ state: 'published' })).toBe(false));
  await waitFor(() => expect(result.current.error?.message).toBe('Picture 1 has no alternative text.'));
  answer({ 'pages.changeTagged': { value: page({ body: '<p>mine</p>' }), etag: '"7.2"' } });
  await act(async () => void (await result.current.saveNow()));
  expect(callsOf('pages.changeTagged').at(-1)?.[1]).toEqual({ body: '<p>mine</p>' });
});

const file = (id: string) => asset(id);

test('files that are placed quickly one after the other are all there, each request with the whole list', async () => {
  answer({
    'pages.changeTagged': (_id: string, patch: { slots: Record<string, string[]> }) => ({
      value: page({ slots: { pictures: (patch.slots.pictures ?? []).map(file) } }),
      etag: '"7.2"',
    }),
  });
  const { result } = open();
  act(() => result.current.place({ slots: { pictures: [file('1')] } }));
  expect(result.current.slots.pictures).toHaveLength(1);
  act(() =>
    result.current.place({ slots: { pictures: [...(result.current.slots.pictures ?? []), file('2')] } }),
  );
  await waitFor(() => expect(callsOf('pages.changeTagged')).toHaveLength(2));
  expect(callsOf('pages.changeTagged')[1]?.[1]).toEqual({ slots: { pictures: ['1', '2'] } });
  expect(result.current.slots.pictures?.map(({ id }) => id)).toEqual(['1', '2']);
});

test('a file that is refused is not kept, and what is written is saved without it', async () => {
  answer({ 'pages.changeTagged': problem(422, '"pictures" takes 2.') });
  const { result } = open();
  act(() => result.current.place({ slots: { pictures: [file('1')] } }));
  await waitFor(() => expect(result.current.error?.message).toBe('"pictures" takes 2.'));
  await waitFor(() => expect(result.current.slots).toEqual({}));
  answer({ 'pages.changeTagged': { value: page({ body: '<p>b</p>' }), etag: '"7.2"' } });
  act(() => result.current.change({ body: '<p>b</p>' }));
  await act(async () => void (await result.current.saveNow()));
  expect(callsOf('pages.changeTagged').at(-1)?.[1]).toEqual({ body: '<p>b</p>' });
});

test('the text is written out once for each time that it is saved, as it is then', async () => {
  answer({
    'pages.changeTagged': (_id: string, patch: object) => ({ value: page(patch), etag: '"7.2"' }),
  });
  const { result } = open();
  const read = vi.fn(() => '<p>last</p>');
  act(() => {
    result.current.changeBody(() => '<p>first</p>');
    result.current.changeBody(read);
  });
  expect(read).not.toHaveBeenCalled();
  await act(async () => void (await result.current.saveNow()));
  expect(callsOf('pages.changeTagged')[0]?.[1]).toEqual({ body: '<p>last</p>' });
  await act(async () => void (await result.current.saveNow({ state: 'published' })));
  expect(callsOf('pages.changeTagged')[1]?.[1]).toEqual({ state: 'published' });
  expect(read).toHaveBeenCalledOnce();
  expect(result.current.isSaved).toBe(true);
});

test('a text that was refused is sent again, and a newer one instead of it', async () => {
  answer({ 'pages.changeTagged': problem(503, 'Busy.') });
  const { result } = open();
  act(() => result.current.changeBody(() => '<p>refused</p>'));
  await act(async () => void (await result.current.saveNow()));
  expect(result.current.isSaved).toBe(false);
  answer({ 'pages.changeTagged': { value: page(), etag: '"7.3"' } });
  await act(async () => void (await result.current.saveNow()));
  expect(callsOf('pages.changeTagged').at(-1)?.[1]).toEqual({ body: '<p>refused</p>' });
  act(() => result.current.changeBody(() => '<p>newer</p>'));
  await act(async () => void (await result.current.saveNow()));
  expect(callsOf('pages.changeTagged').at(-1)?.[1]).toEqual({ body: '<p>newer</p>' });
});
